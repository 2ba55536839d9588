#pragma once

#include <cstddef>
#include <optional>
#include <string>
#include <vector>

#include "assay/model/commit.hpp"
#include "assay/model/finding.hpp"
#include "assay/model/located.hpp"
#include "assay/model/metric.hpp"

namespace assay::model {

/// A commit's value in a history: how it compares with the reference commit, measured in one sitting with it.
struct HistoryPoint {
  std::size_t commit_index = 0;  ///< of its commit in History::commits
  Effect effect;                 ///< commit / reference; of several campaigns their weighted mean
  Interval interval;
  std::size_t rounds = 0;      ///< in all
  std::size_t campaigns = 1;   ///< that measured it
  bool heterogeneous = false;  ///< they differ by more than chance (Cochran's Q, 1 %)
  bool shifted = false;        ///< by the anchors, from another era
};

/// A stretch of points that lie around one level.
struct HistoryLevel {
  std::size_t first = 0, end = 0;  ///< places in HistoryLine::points, to below `end`
  Effect level;                    ///< their weighted mean
  Interval interval;
};

/// A change of level between two points, proposed by how the points lie and then measured.
struct HistoryStep {
  /// confirmed: a fresh campaign of the commits on either side calls it, at the level that all such
  /// campaigns of the ledger leave it (stats/online.hpp). drift: it does not, but one of commits farther
  /// apart does: it came bit by bit. refuted: the interval of that campaign lies within the margin. open:
  /// none of these. proposed: not measured yet.
  enum class Status { confirmed, drift, refuted, open, proposed };
  Status status = Status::proposed;
  std::size_t before = 0, after = 0;  ///< places in HistoryLine::points on either side, neighbours
  std::size_t from = 0, to = 0;       ///< of a drift: the points that were held against each other
  Effect effect;                      ///< of the campaign that told it; else the difference of the levels
  std::optional<CommitsCompared> measured;
  double p_adjusted = 1;  ///< of that campaign: at most 0.05 exactly where its own level lets it be claimed
};

/// What changed the level without a commit: another machine, compiler or reference, or another workload.
struct HistoryBreak {
  enum class Kind {
    machine,     ///< another one
    reference,   ///< another program of the reference commit: compiler, or flags
    definition,  ///< the workload was defined otherwise
  };
  Kind kind = Kind::machine;
  std::size_t commits = 0;      ///< with values from beyond it
  std::optional<Effect> shift;  ///< taken out by the anchors; empty: none, so those values are left out
  std::size_t overlapping_commits = 0;  ///< commits that were measured on both sides
};

/// One metric of one workload at one setting over the commits.
struct HistoryLine {
  std::string workload, setting;
  Metric metric;
  std::vector<HistoryPoint> points;  ///< in the order of the commits
  std::vector<HistoryLevel> levels;  ///< between them a step each that was not refuted
  std::vector<HistoryStep> steps;
  std::vector<HistoryBreak> breaks;
};

/// A project over its commits.
struct History {
  std::string title, reference, branch;  ///< as they were asked for
  double margin = 0.01;
  std::vector<CommitFacts> commits;              ///< the reference first, oldest first
  std::vector<UnmeasurableCommit> unmeasurable;  ///< that could not be measured
  std::vector<HistoryLine> lines;
  std::size_t off_branch = 0;             ///< commits with values that are not on this line
  std::size_t measured = 0, missing = 0;  ///< commits that were asked for: with values, and without
  std::size_t measured_now = 0;
  double seconds = 0;
  bool interrupted = false;
};

}  // namespace assay::model
