#include <algorithm>
#include <cmath>
#include <map>

#include "assay/judge/aggregates.hpp"
#include "assay/judge/paired_series.hpp"
#include "assay/judge/paired_test.hpp"
#include "assay/metrics/catalogue.hpp"
#include "assay/stats/multiple_testing.hpp"

namespace assay::judge {
namespace {

/// p of no change between two cells at the last look that their common rounds reach; 1 before the first.
double p_between(const PairedSeries& series, const Metric& metric, const Rules& rules) {
  const auto look = last_look(rules, series);
  if (!look || !all_valid(series, metric.scale)) return 1;
  const auto estimate = estimate_of(series, look->rounds, {.metric = metric});
  const auto values =
      static_cast<std::size_t>(series.replication.independent_values(static_cast<int>(look->rounds)));
  if (estimate.n() != values) return 1;  // rounds without a pair left a layout out
  return look->boundary->p_value(look->place, estimate.count_difference());
}

/// What the findings say of the cells of one metric. Findings on the other of two times that stand in for
/// each other count as calls.
class MetricFindings {
 public:
  MetricFindings(const Findings& findings, MetricId metric) : scale_(findings.design.metrics[metric].scale) {
    const auto& metrics_of_all = findings.design.metrics;
    const bool both_times = std::ranges::any_of(metrics_of_all, metrics::is_default_cpu_time);
    const auto is_time = [&](MetricId id) {
      return metrics::is_kind(metrics_of_all[id], metrics::MetricKind::wall_time) ||
             metrics::is_default_cpu_time(metrics_of_all[id]);
    };
    for (const auto& f : findings.findings) {
      if (f.metric == metric && f.rounds > 0) shown_[f.comparison.candidate] = &f;
      if (f.metric != metric && !(both_times && is_time(metric) && is_time(f.metric))) continue;
      if (is_change(f.verdict)) called_[f.comparison.candidate] = {f.comparison.baseline, f.verdict};
      if (f.verdict == Verdict::same) same_[f.comparison.candidate] = f.comparison.baseline;
    }
  }

  /// A cell's change against the baseline that its baselines lead to.
  struct Change {
    CellId root;
    double estimate = 0;
    Interval interval;
  };
  Change change_of(CellId cell) const {
    const bool ratio = scale_ == Scale::ratio;
    const auto add = [ratio](double& to, double value) { to = ratio ? to * value : to + value; };
    const double none = ratio ? 1 : 0;
    Change change{.estimate = none, .interval = {none, none, 1}};
    auto step = shown_.find(cell);
    for (std::size_t steps = 0; step != shown_.end() && steps < shown_.size(); ++steps) {
      const auto& finding = *step->second;
      add(change.estimate, finding.effect.value);
      add(change.interval.low, finding.interval.low);
      add(change.interval.high, finding.interval.high);
      cell = finding.comparison.baseline;
      step = shown_.find(cell);
    }
    change.root = cell;
    return change;
  }

  /// Whether a change is known well enough to have a place.
  bool is_placed(const Change& change) const {
    constexpr double widest = 2;
    const auto& interval = change.interval;
    if (!std::isfinite(interval.low) || !std::isfinite(interval.high)) return false;
    return scale_ != Scale::ratio || (interval.low > 0 && interval.high <= widest * interval.low);
  }

  /// Whether a finding calls one of two cells against the other, or both on opposite sides of one baseline,
  /// or the intervals of their changes lie apart.
  bool are_apart(CellId a, CellId b) const {
    const auto of_a = called_.find(a), of_b = called_.find(b);
    if (of_a != called_.end() && of_a->second.first == b) return true;
    if (of_b != called_.end() && of_b->second.first == a) return true;
    if (of_a != called_.end() && of_b != called_.end() && of_a->second.first == of_b->second.first &&
        of_a->second.second != of_b->second.second)
      return true;
    const auto change_a = change_of(a), change_b = change_of(b);
    return change_a.root == change_b.root &&
           (change_a.interval.high < change_b.interval.low || change_b.interval.high < change_a.interval.low);
  }

  bool are_same(CellId a, CellId b) const {
    const auto of_a = same_.find(a), of_b = same_.find(b);
    return (of_a != same_.end() && of_a->second == b) || (of_b != same_.end() && of_b->second == a);
  }

 private:
  Scale scale_;
  std::map<CellId, const Finding*> shown_;
  std::map<CellId, std::pair<CellId, Verdict>> called_;
  std::map<CellId, CellId> same_;
};

/// The cells of one workload and setting, on one metric.
Ranking rank_cells(const Observations& evidence, const MetricFindings& known, MetricId metric,
                   const std::vector<CellId>& cells) {
  const auto& design = evidence.design;
  std::vector<double> p;
  std::map<std::pair<CellId, CellId>, std::size_t> place_of;
  for (std::size_t a = 0; a < cells.size(); ++a)
    for (std::size_t b = a + 1; b < cells.size(); ++b) {
      place_of[{cells[a], cells[b]}] = place_of[{cells[b], cells[a]}] = p.size();
      p.push_back(p_between(make_pairs(evidence, {cells[a], cells[b]}, metric), design.metrics[metric],
                            design.rules));
    }
  const auto adjusted = stats::adjust_holm(p);
  Ranking ranking{.workload = design.cells[cells.front()].workload,
                  .setting = design.cells[cells.front()].setting,
                  .metric = metric,
                  .places = {},
                  .unplaced = {}};
  struct Placed {
    CellId cell;
    double estimate;
  };
  std::vector<Placed> placed;
  const auto root = known.change_of(cells.front()).root;
  for (const auto cell : cells) {
    const auto change = known.change_of(cell);
    if (change.root == root && known.is_placed(change))
      placed.push_back({cell, change.estimate});
    else
      ranking.unplaced.push_back(design.cells[cell].candidate);
  }
  const bool larger_first = design.metrics[metric].direction == Direction::higher;
  std::ranges::stable_sort(placed, [&](const Placed& a, const Placed& b) {
    return larger_first ? a.estimate > b.estimate : a.estimate < b.estimate;
  });
  for (std::size_t i = 0; i < placed.size(); ++i) {
    auto step = Ranking::Step::unclear;
    if (i > 0) {
      const auto before = placed[i - 1].cell, cell = placed[i].cell;
      if (known.are_same(before, cell))
        step = Ranking::Step::same;
      else if (adjusted[place_of.at({before, cell})] <= error_rate || known.are_apart(before, cell))
        step = Ranking::Step::apart;
    }
    ranking.places.push_back({design.cells[placed[i].cell].candidate, step});
  }
  return ranking;
}

}  // namespace

std::vector<Ranking> rank_candidates(const Observations& evidence, const Findings& findings) {
  const auto& design = evidence.design;
  std::vector<Ranking> rankings;
  std::map<std::pair<WorkloadId, std::string>, std::vector<CellId>> places;
  for (const auto id : design.cells.ids())
    if (evidence.is_ok(id) && !design.is_twin(id))
      places[{design.cells[id].workload, design.cells[id].setting.text()}].push_back(id);
  for (const auto metric : design.metrics.ids()) {
    if (!design.metrics[metric].request.watched || design.metrics[metric].exact) continue;
    const auto& values = evidence.by_cell(metric);
    const MetricFindings known(findings, metric);
    for (const auto& [place, cells] : places) {
      auto with_values = cells;
      std::erase_if(with_values, [&](CellId id) { return !values.contains(id); });
      if (with_values.size() >= 3) rankings.push_back(rank_cells(evidence, known, metric, with_values));
    }
  }
  return rankings;
}

}  // namespace assay::judge
