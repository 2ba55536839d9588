#pragma once

#include <map>
#include <optional>
#include <set>
#include <string>
#include <tuple>
#include <utility>

#include "assay/engine/observer.hpp"
#include "assay/engine/stop_policy.hpp"
#include "assay/judge/stopping.hpp"
#include "assay/model/plan.hpp"
#include "assay/model/results.hpp"

namespace assay::setup {

using engine::RunOptions;

/// What else a plan is carried out with. Commands of the tool set these; a plan alone needs none.
struct PlanOptions {
  CampaignKind kind = CampaignKind::plan;
  /// uid of the campaign whose findings are measured again, if any.
  std::string confirms_uid;
  /// Candidate, workload and setting of the comparisons that are measured, by name; empty: all.
  std::set<std::tuple<std::string, std::string, std::string>> only_cells;
  /// Values of variables that the plan passes on by name alone; they go to the commands in place of this
  /// process's own, and are kept nowhere.
  std::map<std::string, std::string> variables;
  bool machine_lock_held = false;  ///< the caller holds the machine's lock for all its campaigns
  judge::CallPromise promise;      ///< how sure a change must be before its cells leave
  /// Above 0: measures so many rounds, each cell once in each, whatever they show, in place of the plan's.
  int fixed_rounds = 0;
  /// How programs are run, where another campaign of the same has chosen; what is not among them is chosen
  /// anew.
  std::vector<WayChoice> ways;
  /// Above 0: samples where the code of measured trials of programs is, once in so many seconds of their CPU time,
  /// which costs some per cent of it. Findings then say where time has changed. Throws Error(measuring), before
  /// anything is run, where the system refuses it.
  double sampling_period = 0;
  /// Says also what was built before.
  bool report_cached_builds = true;
  /// Tells the observer how other machines take part, where the ledger is a database.
  bool invites = false;
  /// Tells the observer what can be expected, after the checks and after a few rounds.
  bool report_forecast = false;
};

/// Carries out a plan: builds what has to be built, finds the programs, asks them who they are, checks every
/// candidate's answer, measures in shuffled rounds, checks the answers once more, and judges. Candidates that
/// don't build, are wrong or fail are left out and named in the cells' status; the others go on.
///
///   std::cout << to_text(run_plan(plan));
///
/// Throws Error, before anything is run, for what validate() finds, for programs and input files that are not
/// there, for sources that can't be had, and for a ledger that can't be used; later, when the ledger can't
/// take a trial (a full disk). Takes as long as the plan's rounds. Not to be called from several threads with
/// one ledger.
Findings run_plan(const Plan& plan, const RunOptions& run = {}, const PlanOptions& options = {});

/// Builds and checks as run_plan() does, lays the campaign down in the ledger and leaves it to those who join it. Returns
/// its design. Throws as run_plan() does, and Cancelled.
Design open_plan(const Plan& plan, const RunOptions& run, const PlanOptions& options = {});

/// How taking part in a campaign came to its end.
struct JoinResult {
  engine::StopReason why = engine::StopReason::stopped;
  CampaignState state = CampaignState::open;  ///< of the campaign
  std::size_t rounds = 0, here = 0;           ///< judged ones that count: of all, and of this process
};

/// Takes part in the campaign that RunOptions::join names, by the plan that it was laid down with: builds, checks, and
/// measures rounds until it ends, or this process's time is up. Throws as run_plan() and engine::join_campaign() do, and
/// Error(measuring) where a cell does not do here what it does elsewhere.
JoinResult join_plan(const Plan& plan, const RunOptions& run, const PlanOptions& options = {});

/// Builds and checks as run_plan() does, then runs a warm-up and `rounds` pilot rounds (at least 3), and
/// says what the plan can be expected to find, together with the design. Nothing is kept.
/// Throws as run_plan() does, and Error when no pair of cells could be measured. Stopped before the end, it
/// returns what was seen until then.
std::pair<Forecast, Design> forecast(const Plan& plan, int rounds, const RunOptions& run = {},
                                     const PlanOptions& options = {});

}  // namespace assay::setup
