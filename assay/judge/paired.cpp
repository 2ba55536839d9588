#include "assay/judge/paired.hpp"

#include <algorithm>

#include "assay/judge/error_rate.hpp"
#include "assay/judge/estimate.hpp"
#include "assay/schedule/looks.hpp"

namespace assay::judge {

Finding judge_paired(std::span<const double> baseline, std::span<const double> candidate,
                     const PairedTestOptions& question) {
  const PairedTest estimate(baseline, candidate, question);
  const auto null = schedule::null_distribution(static_cast<int>(estimate.n()), question.replication);
  const double alpha = 1 - question.level;
  auto finding = estimate.to_finding(null.critical_count(alpha), question.level);
  finding.p = finding.p_adjusted =
      std::max(null.p_two_sided(estimate.count_difference()), estimate.p_by_means());
  finding.p_equivalence = estimate.is_early() ? 1 : null.p_two_sided(estimate.count_equivalence());
  finding.looks = 1;
  const auto rest = estimate.rest();
  const bool alike = rest == PairedTest::Rest::alike || rest == PairedTest::Rest::too_few;
  if (finding.p_equivalence <= alpha && alike) {
    finding.verdict = Verdict::same;
  } else if (finding.p_equivalence <= alpha) {
    finding.rounds_to_decide = RoundsToDecide{.obstacle = RoundsToDecide::Obstacle::slow_runs};
  } else if (finding.p <= alpha && estimate.beyond_margin() && estimate.is_large_enough() &&
             question.metric.direction != Direction::neither) {
    if (estimate.fast_runs_stand_alone() || estimate.rest_opposes(withheld_at))
      finding.rounds_to_decide = RoundsToDecide{.obstacle = RoundsToDecide::Obstacle::fast_and_slow};
    else
      finding.verdict = estimate.direction();
  }
  if (finding.verdict != Verdict::unclear) finding.rounds_to_decide.reset();
  return finding;
}

}  // namespace assay::judge
