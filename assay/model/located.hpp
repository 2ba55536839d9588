#pragma once

#include <cstddef>
#include <optional>
#include <string>
#include <vector>

#include "assay/model/commit.hpp"
#include "assay/model/finding.hpp"
#include "assay/model/metric.hpp"

namespace assay::model {

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
  double probability = 0;  ///< that it is among them, before it was held against its parent
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

/// What came of looking for the commit that made something worse, or better.
struct CommitSearchResult {
  /// found: `steps` say where. no_change: good and bad are the same. exchanged: the change is the other way.
  /// unclear: good against bad can't be told. unsure: the budget or the commits ended before one was sure
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

}  // namespace assay::model
