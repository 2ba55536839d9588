#include "assay/judge/failures.hpp"

#include "assay/judge/error_rate.hpp"
#include "assay/stats/distance.hpp"
#include "assay/stats/many.hpp"

namespace assay::judge {

std::vector<FailureFinding> judge_failures(const Observations& evidence) {
  std::vector<FailureFinding> all;
  std::vector<double> p;
  for (const auto& contrast : evidence.design.comparisons) {
    if (evidence.design.is_twin(contrast.candidate) || !evidence.is_ok(contrast)) continue;
    const auto &its = evidence.of(contrast.baseline), &mine = evidence.of(contrast.candidate);
    const auto a = its.failed, m = its.trials, b = mine.failed, n = mine.trials;
    if (a + b == 0 || m == 0 || n == 0) continue;
    FailureFinding finding{.comparison = contrast,
                           .baseline_failed = a,
                           .baseline_trials = m,
                           .candidate_failed = b,
                           .candidate_trials = n,
                           .p = stats::fisher_exact(a, m, b, n).p};
    p.push_back(finding.p);
    all.push_back(finding);
  }
  const auto adjusted = stats::adjust_benjamini_hochberg(p);
  for (std::size_t i = 0; i < all.size(); ++i) {
    auto& f = all[i];
    f.p_adjusted = adjusted[i];
    if (f.p_adjusted > error_rate) continue;
    const bool more = f.candidate_failed * f.baseline_trials > f.baseline_failed * f.candidate_trials;
    f.verdict = more ? Verdict::worse : Verdict::better;
  }
  return all;
}

}  // namespace assay::judge
