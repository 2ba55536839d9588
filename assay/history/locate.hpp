#pragma once

#include <cstddef>
#include <optional>
#include <stop_token>
#include <string>
#include <vector>

#include "assay/history/observer.hpp"
#include "assay/model/cell_filter.hpp"
#include "assay/model/history.hpp"
#include "assay/model/plan.hpp"

namespace assay::history {

/// How a commit is looked for.
struct LocateOptions {
  std::string good, bad = "HEAD";  ///< commits, as git names them; the good one is the older
  std::string metric;              ///< empty: the one that shows the change most clearly
  CellFilter only;                 ///< the cells that are looked at first; the clearest of them is gone by
  /// The smallest relative change that a commit is looked for with, 0.02 is 2 %; empty: half of what lies
  /// between good and bad.
  std::optional<double> step;
  double promise = 0.95;         ///< the probability at which a commit is chosen
  bool better = false;           ///< looks for what made it better
  bool into_merges = false;      ///< a merge that did it is looked into
  bool ignore_earlier = false;   ///< pairs and campaigns of earlier searches are not reckoned with
  std::optional<double> budget;  ///< seconds for each search between two commits; empty: as long as it takes
  std::string ledger;            ///< keeps every campaign; empty: none is kept
  std::string repeat_command;    ///< the command, for those who read the campaigns
  engine::WhenBusy when_busy = engine::WhenBusy::proceed;
  Observer* observer = nullptr;  ///< must outlive the call
  std::stop_token stop;
};

/// Finds the commit that made a workload worse (or better), between a good and a bad one, along the line of
/// first parents.
///
/// First good against bad, as any campaign; it ends there when nothing is worse. Then one pair at a time, of
/// a commit beside the good one, always the commit whose next pairs tell most per second, builds included
/// (CommitPosterior), until one is sure enough; commits that don't build, fail or are wrong tell nothing, and the
/// answer may be a run of them. Then the answer against its parent, measured again: confirmed or not. Where that is
/// less than the whole, the rest is looked for on both sides.
///
/// `plan`: its first candidate says how a commit is built and run; workloads, rounds and margins are its own.
/// Commits are built when they are first measured, in the plan's cache, and never beside a trial. Throws
/// Error for commits that are not there or do not lie on one line, and as setup::run_plan(); for a good
/// or bad commit that can't be measured, with Code::measuring. Stopped, it returns what is known, as
/// interrupted.
CommitSearchResult locate(const Plan& plan, const LocateOptions& options);

/// What a search would take, as far as it is known before anything is measured.
struct SearchOutline {
  std::vector<CommitFacts> commits;  ///< that may have done it
  std::size_t merges = 0;            ///< of them
  struct Expected {
    double effect = 0;  ///< of the change, in standard deviations of a pair
    double pairs = 0;   ///< at the least, by information
  };
  std::vector<Expected> pairs;
};
SearchOutline outline_search(const Plan& plan, const LocateOptions& options);

}  // namespace assay::history
