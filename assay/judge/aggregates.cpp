#include "assay/judge/aggregates.hpp"

#include <algorithm>
#include <cmath>
#include <cstddef>
#include <map>
#include <optional>
#include <string>
#include <tuple>
#include <utility>

#include "assay/judge/machines.hpp"
#include "assay/judge/paired_series.hpp"
#include "assay/judge/paired_test.hpp"
#include "assay/stats/contingency.hpp"
#include "assay/stats/location.hpp"
#include "assay/stats/multiple_testing.hpp"

namespace assay::judge {

namespace {

/// A finding at one level of the factor.
struct LevelVerdict {
  Level level;
  Verdict verdict;
};

bool is_smaller(const LevelVerdict& a, const LevelVerdict& b) {
  const auto x = number_of(a.level), y = number_of(b.level);
  return x && y && *x < *y;
}

/// The places of verdicts that differ from the one before.
std::vector<std::size_t> changes_in(const std::vector<LevelVerdict>& seen) {
  std::vector<std::size_t> changes;
  for (std::size_t i = 1; i < seen.size(); ++i)
    if (seen[i].verdict != seen[i - 1].verdict) changes.push_back(i);
  return changes;
}

}  // namespace

std::vector<VerdictReversal> find_reversals(const Observations& evidence, const Findings& findings) {
  const auto& design = evidence.design;
  std::vector<VerdictReversal> turns;
  for (const auto& factor : design.factors)
    for (const auto metric : design.metrics.ids()) {
      if (!design.metrics[metric].request.watched) continue;
      std::map<std::tuple<CandidateId, WorkloadId, std::string>,
               std::pair<Setting, std::vector<LevelVerdict>>>
          rows;
      for (const auto& f : findings.findings) {
        const auto& cell = findings.candidate_cell(f);
        const auto level = cell.setting.levels.find(factor.name);
        if (f.metric != metric || findings.candidate(cell).twin_of || level == cell.setting.levels.end() ||
            (f.verdict != Verdict::better && f.verdict != Verdict::worse))
          continue;
        auto others = cell.setting;
        others.levels.erase(factor.name);
        auto& [setting, seen] = rows[{cell.candidate, cell.workload, others.text()}];
        setting = others;
        seen.push_back({level->second, f.verdict});
      }
      for (auto& [key, row] : rows) {
        auto& seen = row.second;
        if (std::ranges::all_of(seen, [](const LevelVerdict& s) { return number_of(s.level).has_value(); }))
          std::ranges::stable_sort(seen, is_smaller);
        const auto changes = changes_in(seen);
        if (changes.size() != 1) continue;
        const auto at = changes.front();
        turns.push_back({.candidate = std::get<0>(key),
                         .workload = std::get<1>(key),
                         .metric = metric,
                         .factor = factor.name,
                         .others = row.first,
                         .last_level = seen[at - 1].level,
                         .first_level = seen[at].level,
                         .verdict_before = seen[at - 1].verdict,
                         .verdict_after = seen[at].verdict});
      }
    }
  return turns;
}

namespace {

/// Absolute deviations from the median, of logarithms on a ratio scale; empty where there are none.
std::vector<double> deviations(std::span<const double> values, const Metric& metric) {
  std::vector<double> all(values.begin(), values.end());
  if (!std::ranges::all_of(all, [&](double v) { return is_valid_value(metric.scale, v); })) return {};
  for (auto& v : all) v = transformed_value(metric.scale, v);
  const double centre = stats::median(all);
  for (auto& v : all) v = std::abs(v - centre);
  return all;
}

}  // namespace

std::vector<SpreadFinding> judge_variability(const Observations& evidence) {
  constexpr double much = 1.5;
  constexpr std::size_t fewest = 10;  // below, the estimated centres weigh too much
  const auto& design = evidence.design;
  std::vector<SpreadFinding> called;
  for (const auto id : design.metrics.ids()) {
    const auto& metric = design.metrics[id];
    if (!metric.request.watched || metric.exact) continue;
    const auto cells = cells_on_one_level(evidence, id);
    std::vector<SpreadFinding> family;
    std::vector<double> p;
    for (const auto& comparison : design.comparisons) {
      if (design.is_twin(comparison.candidate) || !evidence.is_ok(comparison)) continue;
      if (layouts_of(design, comparison) > 0) continue;  // layouts spread both, each in its own way
      const auto series = make_pairs(comparison, cells);
      const auto look = last_look(design.rules, series);
      if (!look || look->rounds < fewest) continue;
      const auto n = look->rounds;
      const auto its = deviations(std::span(series.baseline).first(n), metric),
                 mine = deviations(std::span(series.candidate).first(n), metric);
      if (its.empty() || mine.empty() || !(stats::median(its) > 0)) continue;
      const PairedTestOptions question{.metric = {.name = "deviation", .scale = Scale::difference},
                                       .margin = 1e-300};
      const PairedTest estimate(its, mine, question);
      SpreadFinding finding{.comparison = comparison,
                            .metric = id,
                            .rounds = n,
                            .ratio = stats::median(mine) / stats::median(its)};
      finding.p = look->boundary->p_value(look->place, estimate.count_difference());
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

std::vector<FailureFinding> judge_failures(const Observations& evidence) {
  std::vector<FailureFinding> all;
  std::vector<double> p;
  for (const auto& comparison : evidence.design.comparisons) {
    if (evidence.design.is_twin(comparison.candidate) || !evidence.is_ok(comparison)) continue;
    const auto &its = evidence.of(comparison.baseline), &mine = evidence.of(comparison.candidate);
    const auto a = its.failed, m = its.trials, b = mine.failed, n = mine.trials;
    if (a + b == 0 || m == 0 || n == 0) continue;
    FailureFinding finding{.comparison = comparison,
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
