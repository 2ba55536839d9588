#include <algorithm>
#include <cmath>
#include <map>

#include "assay/judge/effect.hpp"
#include "assay/judge/findings.hpp"
#include "assay/judge/pairs.hpp"
#include "assay/judge/together.hpp"
#include "assay/stats/location.hpp"
#include "assay/stats/many.hpp"
#include "assay/stats/unpaired.hpp"

namespace assay::judge {
namespace {

constexpr double error_rate = 0.05;

bool between_programs(const Record& record, const Contrast& contrast) {
  return !record.candidates[record.cells[contrast.candidate.place()].candidate.place()].twin_of &&
         record.cells[contrast.baseline.place()].standing == Standing::sound &&
         record.cells[contrast.candidate.place()].standing == Standing::sound;
}

/// Absolute deviations from the median, of logarithms on a ratio scale; empty where there are none.
std::vector<double> deviations(std::span<const double> values, const Metric& metric) {
  std::vector<double> all(values.begin(), values.end());
  if (metric.scale == Scale::ratio) {
    if (std::ranges::any_of(all, [](double v) { return v <= 0; })) return {};
    for (auto& v : all) v = std::log(v);
  }
  const double centre = stats::median(all);
  for (auto& v : all) v = std::abs(v - centre);
  return all;
}

}  // namespace

std::vector<FailureFinding> judge_failures(const Record& record) {
  std::map<CellId, std::pair<std::size_t, std::size_t>> failed;  // failures, trials
  for (const auto& trial : record.trials) {
    if (trial.role != Role::counted || trial.outcome == Outcome::interrupted ||
        trial.outcome == Outcome::voided)
      continue;
    failed[trial.cell].first += trial.outcome == Outcome::ok ? 0U : 1U;
    failed[trial.cell].second += 1;
  }
  std::vector<FailureFinding> all;
  std::vector<double> p;
  for (const auto& contrast : record.contrasts) {
    if (!between_programs(record, contrast)) continue;
    const auto [a, m] = failed[contrast.baseline];
    const auto [b, n] = failed[contrast.candidate];
    if (a + b == 0 || m == 0 || n == 0) continue;
    FailureFinding finding{.of = contrast,
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

std::vector<SpreadFinding> judge_spreads(const Record& record) {
  constexpr double much = 1.5;
  constexpr std::size_t fewest = 10;  // below, the estimated centres weigh too much
  std::vector<SpreadFinding> called;
  for (std::size_t m = 0; m < record.metrics.size(); ++m) {
    const auto& metric = record.metrics[m];
    if (!record.demands[m].watched || metric.exact) continue;
    const MetricId id{static_cast<std::int64_t>(m)};
    const auto cells = by_cell(evidence_of(record, id));
    std::vector<SpreadFinding> family;
    std::vector<double> p;
    for (const auto& contrast : record.contrasts) {
      if (!between_programs(record, contrast)) continue;
      const auto series = pair_up(contrast, cells);
      const auto look = last_look(record.info, series.rounds.size());
      if (!look || look->rounds < fewest) continue;
      const auto n = look->rounds;
      const auto its = deviations(std::span(series.baseline).first(n), metric),
                 mine = deviations(std::span(series.candidate).first(n), metric);
      if (its.empty() || mine.empty() || !(stats::median(its) > 0)) continue;
      const Question question{.metric = {.name = "deviation", .scale = Scale::difference}, .margin = 1e-300};
      const Effect effect(its, mine, question);
      SpreadFinding finding{
          .of = contrast, .metric = id, .rounds = n, .ratio = stats::median(mine) / stats::median(its)};
      finding.p = look->boundary->p_value(look->place, effect.count_of_no_change());
      p.push_back(finding.p);
      family.push_back(finding);
    }
    const auto adjusted = stats::adjust_benjamini_hochberg(p);
    for (std::size_t i = 0; i < family.size(); ++i) {
      auto& f = family[i];
      f.p_adjusted = adjusted[i];
      if (f.p_adjusted > error_rate || (f.ratio < much && f.ratio > 1 / much)) continue;
      f.verdict = f.ratio > 1 ? Verdict::worse : Verdict::better;
      called.push_back(f);
    }
  }
  return called;
}

}  // namespace assay::judge
