#include "assay/judge/exact.hpp"

#include <algorithm>
#include <map>

namespace assay::judge {
namespace {

struct Seen {
  double value = 0;
  std::size_t times = 0;
  bool built = false;  ///< a build's, which there is but one of
};

Finding compare(const Contrast& of, const Seen& baseline, const Seen& candidate, const Metric& metric,
                std::size_t enough) {
  const bool ratio = metric.scale == Scale::ratio;
  const bool equal = baseline.value == candidate.value;
  Finding finding{.of = of};
  if (ratio && !equal && !(baseline.value > 0 && candidate.value > 0)) return finding;
  finding.rounds = std::min(baseline.times, candidate.times);
  finding.baseline_typical = baseline.value;
  finding.candidate_typical = candidate.value;
  if (ratio)
    finding.effect = equal ? 1 : candidate.value / baseline.value;
  else
    finding.effect = candidate.value - baseline.value;
  finding.interval = {finding.effect, finding.effect, 1};
  finding.margin = 0;
  finding.beyond_margin = !equal;
  finding.p = finding.p_adjusted = equal ? 1 : 0;
  finding.p_same = equal ? 0 : 1;
  finding.settled = (baseline.built && candidate.built) || finding.rounds >= enough;
  finding.method = "compared directly";
  const bool less = candidate.value < baseline.value;
  finding.verdict = equal                                      ? Verdict::same
                    : less == (metric.prefer == Prefer::lower) ? Verdict::better
                                                               : Verdict::worse;
  return finding;
}

}  // namespace

std::optional<std::vector<Finding>> compare_exactly(const Record& record, MetricId id, bool twins) {
  std::map<CellId, Seen> seen;
  for (const auto& trial : record.trials) {
    if (trial.outcome != Outcome::ok || (trial.role != Role::build && trial.role != Role::counted)) continue;
    for (const auto& reading : trial.readings) {
      if (reading.metric != id) continue;
      auto& cell = seen[trial.cell];
      if (cell.times > 0 && cell.value != reading.value) return {};
      cell = {reading.value, cell.times + 1, trial.role == Role::build};
    }
  }
  std::vector<Finding> findings;
  for (const auto& contrast : record.contrasts) {
    const auto &baseline = record.cells[contrast.baseline.place()],
               &candidate = record.cells[contrast.candidate.place()];
    if (record.candidates[candidate.candidate.place()].twin_of.has_value() != twins) continue;
    if (baseline.standing != Standing::sound || candidate.standing != Standing::sound) continue;
    const auto mine = seen.find(contrast.candidate), its = seen.find(contrast.baseline);
    findings.push_back(mine == seen.end() || its == seen.end()
                           ? Finding{.of = contrast}
                           : compare(contrast, its->second, mine->second, record.metrics[id.place()],
                                     static_cast<std::size_t>(std::max(record.info.rounds_min, 1))));
  }
  return findings;
}

}  // namespace assay::judge
