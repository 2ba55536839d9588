#include <algorithm>
#include <map>

#include "assay/judge/sequential.hpp"

namespace assay::judge {
namespace {

struct Seen {
  double value = 0;
  std::size_t times = 0;
  bool built = false;  ///< a build's, which there is but one of
};

Finding compare(const Comparison& of, const Seen& baseline, const Seen& candidate, const Metric& metric,
                std::size_t enough) {
  const bool equal = baseline.value == candidate.value;
  Finding finding{.comparison = of};
  if (!equal &&
      !(is_valid_value(metric.scale, baseline.value) && is_valid_value(metric.scale, candidate.value)))
    return finding;
  finding.rounds = std::min(baseline.times, candidate.times);
  finding.baseline_typical = baseline.value;
  finding.candidate_typical = candidate.value;
  finding.effect = equal                          ? Effect::none(metric.scale)
                   : metric.scale == Scale::ratio ? Effect{metric.scale, candidate.value / baseline.value}
                                                  : Effect{metric.scale, candidate.value - baseline.value};
  finding.interval = {finding.effect.value, finding.effect.value, 1};
  finding.margin = 0;
  finding.beyond_margin = !equal;
  finding.p = finding.p_adjusted = equal ? 1 : 0;
  finding.p_equivalence = equal ? 0 : 1;
  finding.decided = (baseline.built && candidate.built) || finding.rounds >= enough;
  finding.method = TestMethod::compared_directly;
  const bool less = candidate.value < baseline.value;
  finding.verdict = equal                                            ? Verdict::same
                    : less == (metric.direction == Direction::lower) ? Verdict::better
                                                                     : Verdict::worse;
  return finding;
}

}  // namespace

std::optional<std::vector<Finding>> compare_exactly(const Observations& evidence, MetricId id, bool twins) {
  const auto& design = evidence.design;
  std::map<CellId, Seen> seen;
  for (const auto from : {Observations::Source::built, Observations::Source::judged}) {
    const auto& values = evidence.values(id, from);
    for (std::size_t i = 0; i < values.size(); ++i) {
      auto& cell = seen[values.cell[i]];
      if (cell.times > 0 && cell.value != values.value[i]) return {};
      cell = {values.value[i], cell.times + (values.repeat[i] == 0 ? 1U : 0U),
              from == Observations::Source::built};
    }
  }
  const auto enough = static_cast<std::size_t>(std::max(design.rules.rounds_min, 1));
  std::vector<Finding> findings;
  for (const auto& comparison : design.comparisons) {
    if (design.is_twin(comparison.candidate) != twins || !evidence.is_ok(comparison)) continue;
    const auto mine = seen.find(comparison.candidate), its = seen.find(comparison.baseline);
    findings.push_back(mine == seen.end() || its == seen.end()
                           ? Finding{.comparison = comparison}
                           : compare(comparison, its->second, mine->second, design.metrics[id], enough));
  }
  return findings;
}

}  // namespace assay::judge
