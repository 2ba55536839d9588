#pragma once

#include <span>

#include "assay/model/finding.hpp"
#include "assay/model/metric.hpp"

namespace assay::inline v1::judge {

/// What is asked of a pair of samples.
struct Question {
  Metric metric;
  /// The smallest change that matters: relative on a ratio scale (0.01 is a ratio outside [1/1.01, 1.01]), in
  /// the metric's unit on a difference scale.
  double margin = 0.01;
  double level = 0.95;  ///< of the interval; 1 − level is the chance of calling no change a change
};

/// Judges values paired by round: baseline[r] and candidate[r] are from the same round.
///
/// With d_r = ln(candidate/baseline), or the difference on a difference scale, the estimate is the median of
/// the Walsh averages of d, the interval the closed one of the signed-rank test, and
///
/// - `same`: the whole interval lies inside the margin,
/// - `worse` / `better`: the interval excludes no change, and the estimate lies beyond the margin,
/// - `unclear`: anything else; `to_settle` then says how many rounds it would likely take.
///
/// Under no change at all, and order shuffled within rounds, the test is exact whatever the noise. For the
/// interval, one constant effect and rounds with independent effects are assumed besides. Ids in the result
/// are left at zero. Swapping the two sides swaps the verdicts.
///
///   auto f = judge_paired(before, after, {.metric = {"wall time", "s"}, .margin = 0.01});
///   f.verdict == Verdict::better;  f.effect == 0.93;
///
/// Throws DomainError for unequal lengths, no values, values that are not finite, values that are not above
/// zero on a ratio scale, and a level or margin out of range. Cost: O(n log n).
///
/// Source: Hodges & Lehmann 1963; Wilcoxon 1945.
Finding judge_paired(std::span<const double> baseline, std::span<const double> candidate,
                     const Question& question);

}  // namespace assay::inline v1::judge
