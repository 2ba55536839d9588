#pragma once

#include <optional>
#include <stop_token>
#include <string>

#include "assay/history/observer.hpp"
#include "assay/model/cell_filter.hpp"
#include "assay/model/history.hpp"
#include "assay/model/plan.hpp"

namespace assay::history {

/// How a history is measured and read.
struct TrendOptions {
  std::string reference;  ///< the commit that all are held against
  std::string branch = "HEAD";
  std::string since;  ///< the oldest commit that is measured and shown, as git names it; empty: the reference
  int every = 1;      ///< each so many commits, counted from the newest; from 1 on
  CellFilter only;    ///< workloads and levels of factors
  std::string metric;            ///< empty: all that the plan watches
  bool measures = true;          ///< false: shows what the ledger has
  bool retries = false;          ///< commits that could not be measured are tried once more
  std::optional<double> budget;  ///< seconds of this call; a campaign that would go beyond it is not begun
  int keep = 0;                  ///< above 0: see reduce_history(), done at the end
  std::string ledger;            ///< where the history is; empty: nothing is kept, nor known
  std::string repeat_command;    ///< the command, for those who read the campaigns
  engine::WhenBusy when_busy = engine::WhenBusy::proceed;
  Observer* observer = nullptr;  ///< must outlive the call
  std::stop_token stop;
};

/// Measures what is missing of a project's history, and tells what it shows.
///
/// The value of a commit is its change against the reference commit, from campaigns in which both ran in the
/// same rounds: those of this function, and any other of the ledger with the reference as its baseline.
/// Missing commits are measured four at a time, the newest first, then in the widest gaps, for as many rounds
/// as the plan has at the least (8 or more). Where the machine, or the reference's program, is another than
/// before, the last three commits of before are measured again, and the difference is taken out
/// (HistoryBreak). Values of a workload that was defined otherwise are left out.
///
/// A step that the values suggest (find_change_points()) is claimed only after a campaign of its own of the commits on
/// either side, which goes on until that is known at the level that all such campaigns of the ledger, of
/// earlier calls too, leave it: of all steps that are ever claimed, 5 % at most are false on the average
/// (stats/multiple_testing.hpp). Where it claims nothing, commits in the middle of both levels are compared: a drift.
///
/// `plan`: its first candidate says how a commit is built and run. Throws Error for commits that are not
/// there or not on one line, for a reference that can't be measured (Code::measuring), and as
/// setup::run_plan(). Stopped, it returns what is known, as interrupted; the same call goes on.
History trend(const Plan& plan, const TrendOptions& options);

}  // namespace assay::history
