#include "assay/front/present.hpp"

#include <CLI/CLI.hpp>
#include <iostream>

#include "assay/front/asking.hpp"
#include "assay/front/progress.hpp"
#include "assay/front/samples.hpp"
#include "assay/front/stopping.hpp"
#include "assay/model/error.hpp"
#include "assay/model/quantity.hpp"

namespace assay::front {
namespace {

struct Asked {
  std::string rounds, budget, margin, allowance, ledger;
  std::vector<std::string> only;
  std::int64_t seed = -1;
  bool no_twin = false, json = false;
};

void add_options(CLI::App& app, Asked& asked) {
  app.add_option("--rounds", asked.rounds,
                 "judged rounds, like 7..60 (from 7 on it ends when all is settled)");
  app.add_option("--budget", asked.budget, "measuring time for each setting, like 2s");
  app.add_option("--margin", asked.margin, "the smallest change that matters, like 0.1%");
  app.add_option("--allowance", asked.allowance,
                 "the longest a call may take, like 200ms; what takes longer leaves larger sizes");
  app.add_option("--only", asked.only, "a level that is run, like locks=400; may be repeated")
      ->expected(1)
      ->take_all();
  app.add_option("--seed", asked.seed, "seed of the order of slices")->check(CLI::NonNegativeNumber);
  app.add_flag("--no-twin", asked.no_twin,
               "without the copies of the baseline that show what no change looks like");
  app.add_option("--ledger", asked.ledger, "a ledger that keeps the rounds");
  app.add_flag("--json", asked.json, "print the findings document");
}

/// The contest's own options, with what was asked for in their place.
contest::Options merged(contest::Options options, const Asked& asked) {
  if (!asked.rounds.empty()) {
    const auto rounds = parse_rounds(asked.rounds);
    options.rounds_min = rounds.min;
    options.rounds_max = rounds.max;
  }
  if (!asked.budget.empty()) options.budget = parse_budget(asked.budget);
  if (!asked.margin.empty()) options.margin = parse_share(asked.margin);
  if (!asked.allowance.empty()) options.allowance = parse_duration(asked.allowance);
  for (const auto& pair : asked.only) {
    const auto equal = pair.find('=');
    if (equal == std::string::npos)
      throw Error("\"" + pair + "\" does not choose a level", "--only", "write it like locks=400");
    options.only.emplace_back(pair.substr(0, equal), pair.substr(equal + 1));
  }
  if (asked.seed >= 0) options.seed = static_cast<std::uint64_t>(asked.seed);
  if (asked.no_twin) options.twin = false;
  if (!asked.ledger.empty()) options.ledger = asked.ledger;
  return options;
}

int carry_on(const contest::Contest& contest, const Asked& asked, const std::vector<std::string>& command) {
  auto options = merged(contest.options(), asked);
  options.repeat = typed(command);
  StopOnSignals stopping;
  ProgressLine progress;
  options.begun = [&](const Record& record) { progress.begin(record); };
  options.observe = [&](const campaign::Progress& p) { progress.show(p); };
  options.ended = hand_over_samples;
  options.stop = stopping.token();
  const auto findings = contest.run(options);
  progress.clear();
  show(findings, asked.json);
  if (findings.campaign.state == CampaignState::interrupted) return exit_interrupted;
  return findings.findings.empty() ? exit_nothing_measured : exit_done;
}

}  // namespace

int present(const contest::Contest& contest, int argc, char** argv) {
  CLI::App app("a contest of functions: " + contest.title());
  Asked asked;
  add_options(app, asked);
  try {
    app.parse(argc, argv);
  } catch (const CLI::ParseError& error) {
    return app.exit(error) == 0 ? exit_done : exit_request;
  }
  try {
    return carry_on(contest, asked, {argv, argv + argc});
  } catch (const Error& error) {
    std::cerr << error.what() << "\n";
    return error.kind() == Error::Kind::measuring ? exit_nothing_measured : exit_request;
  }
}

}  // namespace assay::front
