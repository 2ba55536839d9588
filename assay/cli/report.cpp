#include "assay/report.hpp"

#include <CLI/CLI.hpp>
#include <iostream>
#include <memory>

#include "assay/cli/command.hpp"
#include "assay/cli/find_campaign.hpp"
#include "assay/cli/run_comparison.hpp"
#include "assay/error.hpp"
#include "assay/gate.hpp"
#include "assay/judge.hpp"

namespace assay::cli {
namespace {

constexpr const char* report_examples =
    R"(  assay report                           a page, assay-ID.html, that opens from disk
  assay report --as markdown             a comment for a pull request, on stdout
  assay report --as markdown --gate      with the answer of the gate
  assay report --as json -o findings.json before)";

struct ReportOptions {
  std::string campaign = "last", ledger, only, as = "page", file;
  bool gate = false;
};

int write(const std::string& text, const std::string& path) {
  write_file(path, text, "the report");
  std::cerr << "assay: wrote " << path << "\n";
  return app::exit_done;
}

int report(const ReportOptions& asked) {
  auto found = find_campaign(asked.campaign, asked.ledger);
  const auto record = found.ledger.read(found.campaign.id);
  auto findings = findings_with_where(found, record);
  const auto only = parse_cell_filter(asked.only);
  judge::filter_results(findings, only);
  const auto gate = judge::evaluate_gate(findings, gate_of(record.design, {}, {}), only);
  const auto text = asked.as == "page"   ? render::to_page(findings, record)
                    : asked.as == "json" ? render::to_json(findings)
                                         : render::to_markdown(findings, asked.gate ? &gate : nullptr);
  if (asked.as == "page" && asked.file.empty())
    return write(text, "assay-" + short_uid(findings.design.uid) + ".html");
  if (asked.file.empty()) {
    const Unguarded as_it_is;
    std::cout << text;
    return app::exit_done;
  }
  return write(text, asked.file);
}

}  // namespace

void add_report(CLI::App& app, Action& action) {
  auto* command = app.add_subcommand("report", "findings to pass on");
  auto asked = std::make_shared<ReportOptions>();
  app::add_campaign(*command, asked->campaign, asked->ledger);
  command->add_option("--as", asked->as, "page (default: one HTML file), markdown or json")
      ->check(CLI::IsMember({"page", "markdown", "json"}));
  command->add_option("-o,--output", asked->file, "write it to this file");
  command->add_flag("--gate", asked->gate, "with the answer of the plan's gate");
  app::add_only(*command, asked->only);
  command->footer(report_examples);
  command->callback([asked, &action] { action = [asked] { return report(*asked); }; });
}

}  // namespace assay::cli
