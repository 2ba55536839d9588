#include "assay/judge/paired.hpp"

#include "assay/judge/estimate.hpp"
#include "assay/schedule/looks.hpp"

namespace assay::inline v1::judge {

Finding judge_paired(std::span<const double> baseline, std::span<const double> candidate,
                     const Question& question) {
  const Estimate estimate(baseline, candidate, question);
  const auto null = schedule::null_of(static_cast<int>(estimate.n()), question.repeats);
  const double alpha = 1 - question.level;
  auto finding = estimate.describe(null.critical_count(alpha), question.level);
  finding.p = finding.p_adjusted = null.p_two_sided(estimate.count_of_no_change());
  finding.p_same = null.p_two_sided(estimate.count_of_same());
  finding.looks = 1;
  if (finding.p_same <= alpha)
    finding.verdict = Verdict::same;
  else if (finding.p <= alpha && estimate.beyond_margin() && question.metric.prefer != Prefer::neither) {
    if (estimate.slow_runs_disagree())
      finding.to_settle = Price{.obstacle = Price::Obstacle::fast_and_slow};
    else
      finding.verdict = estimate.direction();
  }
  if (finding.verdict != Verdict::unclear) finding.to_settle.reset();
  return finding;
}

}  // namespace assay::inline v1::judge
