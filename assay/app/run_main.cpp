#include "assay/app/run_main.hpp"

#include <CLI/CLI.hpp>
#include <cstdlib>
#include <iostream>

#include "assay/app/options.hpp"
#include "assay/app/progress.hpp"
#include "assay/app/samples.hpp"
#include "assay/app/terminal.hpp"
#include "assay/judge/where.hpp"
#include "assay/model/error.hpp"
#include "assay/model/text.hpp"
#include "assay/report/where_text.hpp"

namespace assay::app {

namespace {

struct Options {
  std::string rounds, budget, margin, allowance, ledger;
  std::vector<std::string> only;
  std::int64_t seed = -1;
  std::string when_busy = "wait";
  bool no_twin = false, json = false, resume = false, where = false;
};

void add_options(CLI::App& app, Options& asked) {
  add_rounds(app, asked.rounds, " (from 8 on it ends when all is decided)");
  add_budget(app, asked.budget, ", for each setting (default 2s)");
  add_margin(app, asked.margin, " (default 1%)");
  app.add_option("--allowance", asked.allowance,
                 "the longest a call may take, like 200ms; what takes longer leaves larger sizes");
  app.add_option("--only", asked.only, "a level that is run, like locks=400; may be repeated")
      ->expected(1)
      ->take_all();
  add_seed(app, asked.seed, "slices");
  app.add_flag("--no-twin", asked.no_twin,
               "without the copies of the baseline that show what no change looks like");
  app.add_flag(
      "--where", asked.where,
      "then measure 20 rounds that are sampled, for 10 s (--rounds and --budget hold here too), and show "
      "which functions inside of those compared the largest change is in");
  add_ledger(app, asked.ledger);
  add_resume(app, asked.resume);
  add_when_busy(app, asked.when_busy);
  add_json(app, asked.json);
}

/// The contest's own options, with what was asked for in their place.
contest::Options merged(contest::Options options, const Options& asked) {
  if (!asked.rounds.empty()) {
    const auto rounds = parse_rounds(asked.rounds);
    options.rounds_min = rounds.min;
    options.rounds_max = rounds.max;
  }
  if (!asked.budget.empty()) options.budget = parse_budget(asked.budget);
  if (!asked.margin.empty()) options.margin = parse_percent(asked.margin);
  if (!asked.allowance.empty()) options.max_call_time = parse_duration(asked.allowance);
  for (const auto& pair : asked.only) {
    const auto equal = pair.find('=');
    if (equal == std::string::npos)
      throw Error("\"" + pair + "\" does not choose a level", "--only", "write it like locks=400");
    options.only.emplace_back(pair.substr(0, equal), pair.substr(equal + 1));
  }
  if (asked.seed >= 0) options.seed = static_cast<std::uint64_t>(asked.seed);
  if (asked.no_twin) options.twin = false;
  if (!asked.ledger.empty()) options.run.ledger = asked.ledger;
  options.run.resume = options.run.resume || asked.resume;
  options.run.when_busy = when_busy_of(asked.when_busy);
  return options;
}

/// Shows progress, and hands the samples over when all is measured.
class ResultWriter : public ProgressLine {
 public:
  void on_end(const Record& record) override { write_samples(record); }
};

/// The command without the options that deciding a finding names again.
std::vector<std::string> without_rounds(const std::vector<std::string>& command) {
  std::vector<std::string> kept;
  for (std::size_t i = 0; i < command.size(); ++i) {
    const auto& word = command[i];
    if (word == "--rounds" || word == "--budget") {
      ++i;
      continue;
    }
    if (!word.starts_with("--rounds=") && !word.starts_with("--budget=") && word != "--resume")
      kept.push_back(word);
  }
  return kept;
}

/// A contest that is a workload is run in every round of the plan: briefly, by default.
void make_brief(contest::Options& options, const Options& asked) {
  constexpr int rounds = fewest_rounds;
  constexpr double seconds = 0.1;
  if (std::getenv("ASSAY_SAMPLES") == nullptr || !asked.rounds.empty() || !asked.budget.empty()) return;
  options.rounds_min = options.rounds_max = rounds;
  options.budget = seconds;
  options.twin = false;
}

/// What rounds that are sampled add to the findings; of the setting whose time has changed most. Throws Error where there
/// is nothing to look into.
Findings with_where(const contest::Contest& contest, const Options& asked, contest::Options options,
                    const Findings& findings) {
  const auto* finding = judge::largest_time_change(findings, {});
  if (finding == nullptr || (!is_change(finding->verdict) && options.only.empty()))
    throw Error("no time changed, so that no function is behind it", "--where",
                "--only FACTOR=LEVEL looks into a setting all the same");
  const auto& setting = findings.candidate_cell(*finding).setting;
  options.only.clear();
  for (const auto& [factor, level] : setting.levels) {
    if (factor == "threads")
      throw Error("functions that run on threads of their own are not sampled", "--where",
                  "without threads() in the contest they are");
    options.only.emplace_back(factor, to_string(level));
  }
  constexpr int rounds = 20;
  constexpr double seconds = 10, period = 250e-6;
  if (asked.rounds.empty()) options.rounds_max = rounds;
  options.rounds_min = options.rounds_max;
  if (asked.budget.empty()) options.budget = seconds;
  options.twin = options.run.resume = false;
  options.sampling_period = period;
  options.confirms_uid = findings.design.uid;
  const auto sampled = contest.run(options).findings();
  auto all = findings;
  judge::adopt_where(all, sampled);
  std::erase_if(all.where, [&](const Where& where) { return where.comparison != finding->comparison; });
  if (all.where.empty() && all.where_remarks.empty())
    throw Error("no round could be sampled", "--where", {}, Error::Code::measuring);
  return all;
}

int run_contest(const contest::Contest& contest, const Options& asked,
                const std::vector<std::string>& command) {
  auto options = merged(contest.options(), asked);
  make_brief(options, asked);
  options.run.repeat_command = shell_quoted(without_rounds(command));
  StopOnSignals stopping;
  ResultWriter watching;
  options.run.observer = &watching;
  options.run.stop = stopping.token();
  auto findings = contest.run(options).findings();
  watching.clear();
  if (!asked.json) print_results(findings, false);
  const bool in_a_plan = std::getenv("ASSAY_SAMPLES") != nullptr;  // which takes the first rounds' readings
  const bool looks = asked.where && !in_a_plan && findings.state != CampaignState::interrupted;
  if (looks) try {
      if (!asked.json) std::cout << std::endl;
      findings = with_where(contest, asked, options, findings);
      watching.clear();
      if (!asked.json)
        for (const auto& line : report::where_block(findings)) std::cout << line << "\n";
    } catch (const Error& error) {  // the verdict stands without it
      watching.clear();
      std::cerr << error_text(error) << "\n";
    }
  if (asked.json) print_results(findings, true);
  if (findings.state == CampaignState::interrupted) {
    if (!options.run.ledger.empty()) std::cerr << "assay: kept; --resume goes on with it\n";
    return exit_interrupted;
  }
  if (looks && stopping.token().stop_requested()) return exit_interrupted;
  return findings.findings.empty() ? exit_nothing_measured : exit_done;
}

}  // namespace

int run_main(const contest::Contest& contest, int argc, char** argv) {
  const TerminalGuard guard;
  CLI::App app("a contest of functions: " + contest.title(), argv[0]);
  Options asked;
  app.formatter(help_formatter());
  add_options(app, asked);
  app.failure_message(argument_error);
  try {
    app.parse(argc, argv);
  } catch (const CLI::ParseError& error) {
    return app.exit(error) == 0 ? exit_done : exit_request;
  }
  try {
    return run_contest(contest, asked, {argv, argv + argc});
  } catch (const Error& error) {
    std::cerr << error_text(error) << "\n";
    return error.code() == Error::Code::measuring ? exit_nothing_measured : exit_request;
  }
}

}  // namespace assay::app
