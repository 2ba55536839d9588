#include <CLI/CLI.hpp>
#include <memory>

#include "assay/cli/command.hpp"
#include "assay/cli/comparing.hpp"
#include "assay/cli/whereabouts.hpp"
#include "assay/judge/findings.hpp"

namespace assay::cli {
namespace {

constexpr const char* examples = R"(  assay verdict            the last campaign
  assay verdict before     the one that was named "before" (assay ledger name)
  assay verdict 3f2a       the one whose id begins so
  assay verdict --json     the findings document)";

struct Asked {
  std::string campaign = "last", ledger;
  bool json = false;
};

int verdict(const Asked& asked) {
  auto found = find_campaign(asked.campaign, asked.ledger);
  const auto findings = judge::judge_record(found.ledger.read(found.campaign.id));
  show(findings, asked.json);
  return findings.findings.empty() ? exit_nothing_measured : exit_done;
}

}  // namespace

void add_verdict(CLI::App& app, Action& action) {
  auto* command = app.add_subcommand("verdict", "show the findings of a campaign again");
  auto asked = std::make_shared<Asked>();
  command->add_option("CAMPAIGN", asked->campaign, "last (default), a name, or the beginning of an id");
  command->add_option("--ledger", asked->ledger, "the ledger to look in");
  command->add_flag("--json", asked->json, "print the findings document");
  command->footer(examples);
  command->callback([asked, &action] { action = [asked] { return verdict(*asked); }; });
}

}  // namespace assay::cli
