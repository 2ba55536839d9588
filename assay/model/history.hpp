#pragma once

#include <cstddef>
#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "assay/model/finding.hpp"
#include "assay/model/metric.hpp"
#include "assay/model/visible.hpp"

namespace assay::model {

/// A commit as its repository tells it.
struct CommitFacts {
  std::string id;  ///< full
  std::string subject;
  std::int64_t time = 0;             ///< of the commit, seconds since 1970
  std::vector<std::string> parents;  ///< full ids

  /// The id as people write it: unlikely to mean another commit.
  std::string short_id() const {
    constexpr std::size_t enough = 8;
    return id.substr(0, enough);
  }
  bool operator==(const CommitFacts&) const = default;
};

/// Two commits that were measured beside each other, on the metric that is looked at.
struct CommitsCompared {
  std::string before, after;  ///< short ids, or names as they were given
  Verdict verdict = Verdict::unclear;
  Effect effect;
  Interval interval;
  std::size_t rounds = 0;
  std::string campaign;  ///< its uid
  int layouts = 0;       ///< that its rounds took in turn; 0: each commit had one build
};

/// Where a change came in.
struct CommitSearchStep {
  /// The commit that did it; several, in order, where those between could not be measured.
  std::vector<CommitFacts> commits;
  double probability = 0;  ///< that it is among them, before it was compared with its parent
  std::string parent;      ///< the last measured commit before: full id
  std::optional<CommitsCompared> confirmation;  ///< empty: not measured
  bool confirmed = false;                       ///< that campaign calls it what was looked for
  bool is_merge = false;                        ///< of one commit: it brings a branch in
};

/// A commit that tells nothing, with the reason.
struct UnmeasurableCommit {
  CommitFacts commit;
  std::string reason;
};

/// The result of looking for the commit that made something worse, or better.
struct CommitSearchResult {
  /// found: `steps` say where. no_change: good and bad are the same. exchanged: the change is the other way.
  /// unclear: good against bad is unclear. unsure: the budget or the commits ended before one was sure
  /// enough; `steps` has the likeliest.
  enum class Status { found, no_change, opposite_direction, unclear, inconclusive };
  Status status = Status::unclear;
  Verdict smallest_change = Verdict::worse;
  std::string good, bad;          ///< as they were asked for
  std::string workload, setting;  ///< where it was looked at
  Metric metric;
  CommitsCompared end_to_end;  ///< good against bad
  std::size_t commits = 0;     ///< between them, the bad one with them
  std::vector<CommitSearchStep> steps;
  std::vector<UnmeasurableCommit> unmeasurable;
  std::size_t pairs = 0, earlier_pairs = 0;  ///< measured now, and taken from earlier searches
  std::size_t builds = 0;                    ///< commits that were tried
  double seconds = 0;
  bool interrupted = false;
};

/// A commit's value in a history: how it compares with the reference commit, measured in one session with it.
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
  /// confirmed: a fresh campaign of the commits on either side calls it, at the level that all such campaigns
  /// of the ledger leave it (stats/multiple_testing.hpp). drift: it does not, but one of commits farther
  /// apart does: it came bit by bit. refuted: the interval of that campaign lies within the margin. open:
  /// none of these. proposed: not measured yet.
  enum class Status { confirmed, drift, refuted, open, proposed };
  Status status = Status::proposed;
  std::size_t before = 0, after = 0;  ///< places in HistoryLine::points on either side, neighbours
  std::size_t from = 0, to = 0;       ///< of a drift: the points that were compared with each other
  Effect effect;                      ///< of the campaign that showed it; else the difference of the levels
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
