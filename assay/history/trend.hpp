#pragma once

#include <cstddef>
#include <optional>
#include <string>
#include <vector>

#include "assay/engine/observer.hpp"
#include "assay/model/design.hpp"
#include "assay/model/history.hpp"
#include "assay/model/plan.hpp"
#include "assay/model/results.hpp"
#include "assay/model/setting.hpp"

namespace assay::history {

/// How a history is measured and read.
struct TrendOptions {
  std::string reference;  ///< the commit that all are compared with
  std::string branch = "HEAD";
  std::string since;  ///< the oldest commit that is measured and shown, as git names it; empty: the reference
  int every = 1;      ///< each so many commits, counted from the newest; from 1 on
  CellFilter only;    ///< workloads and levels of factors
  std::string metric;            ///< empty: all that the plan watches
  bool measures = true;          ///< false: shows what the ledger has
  bool retries = false;          ///< commits that could not be measured are tried once more
  std::optional<double> budget;  ///< seconds of this call; a campaign that would go beyond it is not begun
  int keep = 0;                  ///< above 0: see reduce_history(), done at the end
};

/// Measures what is missing of a project's history, and tells what it shows.
///
/// The value of a commit is its change against the reference commit, from campaigns in which both ran in the
/// same rounds: those of this function, and any other of the ledger with the reference as its baseline.
/// Missing commits are measured four at a time, the newest first, then in the widest gaps, for as many rounds
/// as the plan has at least (8 or more). Where the machine, or the reference's program, is another than
/// before, the last three commits of before are measured again, and the difference is taken out
/// (HistoryBreak). Values of a workload that was defined otherwise are left out.
///
/// A step that the values suggest (find_change_points()) is claimed only after a campaign of its own of the
/// commits on either side, which goes on until that is known at the level that all such campaigns of the
/// ledger, of earlier calls too, leave it: of all steps that are ever claimed, 5 % at most are false on the
/// average (stats/multiple_testing.hpp). Where it claims nothing, commits in the middle of both levels are
/// compared: a drift.
///
/// `plan`: its first candidate says how a commit is built and run. `run.ledger` is where the history is;
/// empty: nothing is kept, nor known. Throws Error for commits that are not there or not on one line, for a
/// reference that can't be measured (Code::measuring), and as setup::run_plan(). Stopped, it returns what is
/// known, as interrupted; the same call goes on.
History trend(const Plan& plan, const TrendOptions& options, const engine::RunOptions& run = {});

/// A gate's answer to a history, with the design that names its subjects.
struct HistoryGate {
  GateResult result;
  Design design;
};

/// Holds the newest commits of a history against a gate, by whole intervals. A line fails where a step that
/// came in with one of the `newest` commits is confirmed and the interval of its campaign lies beyond what
/// is allowed (the gate's, else the margin). It passes where such intervals lie within that, or, where no
/// step came in, that of the last commit against the level before it does. Else it is undecided, as where
/// the last commit has no value. A last commit that could not be measured fails. Pure.
HistoryGate evaluate_gate(const History& history, const Gate& gate, std::size_t newest);

/// Takes the trials of a history's campaigns out of a ledger for good, but for the newest `keep` and those
/// with a name, and keeps their values in their place. Returns how many campaigns that were.
/// Throws Error as the ledger does; what was reduced until then stays so.
std::size_t reduce_history(const std::string& ledger, std::size_t keep);

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
};

/// Finds the commit that made a workload worse (or better), between a good and a bad one, along the line of
/// first parents.
///
/// First good against bad, as any campaign; it ends there when nothing is worse. Then one pair at a time, of
/// a commit beside the good one, always the commit whose next pairs tell most per second, builds included
/// (CommitPosterior), until one is sure enough; commits that don't build, fail or are wrong tell nothing, and
/// the answer may be a run of them. Then the answer against its parent, measured again: confirmed or not.
/// Where that is less than the whole, the rest is looked for on both sides.
///
/// `plan`: its first candidate says how a commit is built and run; workloads, rounds and margins are its own.
/// Commits are built when they are first measured, in the plan's cache, and never beside a trial. Throws
/// Error for commits that are not there or do not lie on one line, and as setup::run_plan(); for a good
/// or bad commit that can't be measured, with Code::measuring. Stopped, it returns what is known, as
/// interrupted.
CommitSearchResult locate(const Plan& plan, const LocateOptions& options, const engine::RunOptions& run = {});

/// What a search would take, as far as it is known before anything is measured.
struct SearchOutline {
  std::vector<CommitFacts> commits;  ///< that may have done it
  std::size_t merges = 0;            ///< of them
  struct Expected {
    double effect = 0;  ///< of the change, in standard deviations of a pair
    double pairs = 0;   ///< at least, by information
  };
  std::vector<Expected> pairs;
};
SearchOutline outline_search(const Plan& plan, const LocateOptions& options,
                             const engine::RunOptions& run = {});

}  // namespace assay::history
