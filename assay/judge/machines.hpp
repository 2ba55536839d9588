#pragma once

#include <cstddef>
#include <optional>
#include <utility>
#include <vector>

#include "assay/judge/sequential.hpp"
#include "assay/model/finding.hpp"
#include "assay/model/observations.hpp"

namespace assay::judge {

// Rounds of several machines. Values are compared within a round, and so within a machine; what is computed
// of more than one round's plain values needs them on one level.

/// The level at which machines count as showing different changes.
inline constexpr double machines_differ_at = 0.01;

/// Sets which machine ran each round of a series; nothing where one ran all.
void mark_machines(const Observations& evidence, PairedSeries& series);

/// The first `pairs` of a series with the values of each machine on the level of the series' main one, see
/// stats::excess_levels(): from both values of a round the excess of its machine is taken, on the scale that
/// tests work on and from its quick rounds. Of one machine unchanged. REQUIRES: values valid on the
/// metric's scale. Cost: linear, a copy.
PairedSeries on_one_level(const PairedSeries& series, std::size_t pairs, const Metric& metric);

/// Values of a metric, each machine's brought to the median of the main one, cell by cell; machines with
/// fewer than three values of a cell are left out of it. Of one machine as they are. For statements about
/// plain values; tests take pairs.
ValueColumn values_on_one_level(const Observations& evidence, MetricId metric,
                                Observations::Source from = Observations::Source::judged);
/// The same by cell.
ValuesByCell cells_on_one_level(const Observations& evidence, MetricId metric);

/// What each machine shows of the first pairs of one comparison, and whether they agree.
class MachineComparison {
 public:
  /// REQUIRES: values valid on this scale. Of a series of one machine is_of_several() is false, and the
  /// rest says nothing.
  MachineComparison(const PairedSeries& series, std::size_t pairs, Scale scale);

  bool is_of_several() const { return machines_.size() > 1; }
  /// In the order of their numbers; the intervals are those of the signed-rank test of their own rounds.
  const std::vector<MachineEffect>& machines() const { return machines_; }

  /// The larger p of Kruskal and Wallis's test and Welch's, over machines with four independent values or
  /// more; above 0.2 that of Welch's alone; empty where those machines are fewer than two. Ranks alone call
  /// machines of unlike noise different too often, and means alone do so where noise is heavy. Cost: some
  /// milliseconds where Welch's p is small.
  std::optional<double> p() const;

  /// Whether the machines differ at machines_differ_at, and the changes of two lie beyond the margin on
  /// opposite sides. margin: as in PairedTestOptions.
  bool disagree(double margin) const;
  /// Whether the machines differ at that level, and the change of one lies beyond the margin.
  bool one_is_beyond(double margin) const;

 private:
  struct Tested {
    std::vector<double> values;
    std::vector<int> machines;
  };
  bool differ() const;
  template <class Holds>
  bool any_effect(Holds&& holds) const;

  std::vector<MachineEffect> machines_;
  Tested tested_;
  mutable std::optional<double> p_;
};

/// Writes what the machines show of the pairs of a finding into it; where no one verdict holds for all of
/// them, its verdict becomes unclear with that reason.
void describe_machines(const PairedSeries& series, const Metric& metric, Finding& finding);

/// The machines with the least and the largest change, of those that were compared. REQUIRES: machines_p is known.
std::pair<MachineEffect, MachineEffect> furthest_machines(const Finding& finding);

/// Notes at findings on watched metrics whose machines show changes of one direction and unlike size; of
/// many findings at machines_differ_at after Benjamini and Hochberg.
void note_unlike_machines(const Design& design, std::vector<Finding>& findings);

}  // namespace assay::judge
