#pragma once

#include <map>
#include <string>
#include <vector>

#include "assay/app/options.hpp"
#include "assay/app/progress.hpp"
#include "assay/app/terminal.hpp"
#include "assay/app/trust.hpp"
#include "assay/cli/find_campaign.hpp"
#include "assay/compare.hpp"
#include "assay/gate.hpp"
#include "assay/judge.hpp"
#include "assay/plan.hpp"

namespace assay::cli {

/// How a comparison is asked for on the command line.
struct ComparisonRequest {
  CampaignKind kind = CampaignKind::plan;
  std::string ledger, repeat_command;
  std::string when_busy = "wait";  ///< or "go-on"
  bool json = false;
  bool resume = false;
  std::string confirms_uid;  ///< uid of the campaign that is measured again
  std::string
      resume_command;  ///< the command that takes an interrupted campaign up again; empty: there is none
  std::map<std::string, std::string> variables;  ///< see setup::PlanOptions
  std::optional<engine::Joining> join;           ///< see engine::RunOptions
  bool applies_gate = false;  ///< holds the findings against the plan's gate, which decides the exit status
  std::string junit;          ///< a file for the gate's result; empty: none
};

/// Shows the progress, and notes that this user has begun the campaign.
template <class Progress>
class Remembering : public Progress {
 public:
  void on_start(const Design& design) override {
    app::remember_campaign(measured_campaigns(), design.uid);
    Progress::on_start(design);
  }
};

/// The options of a comparison, with progress, messages and stopping.
class RunContext {
 public:
  explicit RunContext(const ComparisonRequest& how);
  const engine::RunOptions& run() const { return run_; }
  setup::PlanOptions& options() { return options_; }
  app::ProgressLine& progress() { return progress_; }

 private:
  app::StopOnSignals stopping_;
  Remembering<app::ProgressLine> progress_;
  engine::RunOptions run_;
  setup::PlanOptions options_;
};

/// Carries out the plan with progress and stopping, shows the findings, and returns the exit status.
/// `uid`, where given, is set to the campaign's.
int compare(const Plan& plan, const ComparisonRequest& how, std::string* uid = nullptr);

/// Samples fresh rounds of the campaign with this uid, in this ledger, and prints which functions are behind its
/// largest change of a time, or why there is none. Returns the exit status. `variables`: see
/// setup::PlanOptions.
/// `only`: of these cells.
int show_where(const std::string& uid, const std::string& ledger, const std::string& when_busy,
               const std::map<std::string, std::string>& variables, const CellFilter& only = {});

/// The exit status that goes with findings; says so when nothing could be compared, or how to go on.
int status_of(const Findings& findings, const std::string& go_on);

/// Writes a whole file. Throws Error that names `what` can't be written there.
void write_file(const std::string& path, const std::string& text, const std::string& what);

using app::parse_budget;
using app::parse_margin;
using app::parse_precision;
using app::parse_rounds;
using app::print_results;
using app::shell_quoted;

}  // namespace assay::cli

namespace CLI {
class App;
}

namespace assay::cli {

/// A plan as the command line asks for it; empty where not given.
struct PlanOptions {
  std::string file = "assay.toml", candidates, only, rounds, budget, margin, precise;
  Way way = Way::automatic;  ///< automatic: as the plan has it
};

void add_plan_options(CLI::App& command, PlanOptions& asked);

/// The plan, with what the options put in place of its own. Throws Error.
Plan read_plan(const PlanOptions& asked);

/// A plan by which commits are built and run: its first candidate is one of a commit, as the plan has one,
/// else what its [build] makes of HEAD. Throws Error.
Plan read_plan_of_commits(const std::string& file);

}  // namespace assay::cli
