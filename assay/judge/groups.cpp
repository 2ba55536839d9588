#include "assay/judge/groups.hpp"

#include <algorithm>
#include <map>
#include <set>

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

/// What findings call on a metric, or on the other of two times that stand in for each other: a cell's
/// baseline, and whether it is better or worse than that.
using Called = std::map<CellId, std::pair<CellId, Verdict>>;

Called called_on(const Findings& findings, MetricId metric) {
  const auto& metrics_of_all = findings.design.metrics;
  const bool both_times = std::ranges::any_of(metrics_of_all, metrics::is_default_cpu_time);
  const auto is_time = [&](MetricId id) {
    return metrics::is_kind(metrics_of_all[id], metrics::MetricKind::wall_time) ||
           metrics::is_default_cpu_time(metrics_of_all[id]);
  };
  Called called;
  for (const auto& f : findings.findings)
    if ((f.metric == metric || (both_times && is_time(metric) && is_time(f.metric))) &&
        (f.verdict == Verdict::better || f.verdict == Verdict::worse))
      called[f.comparison.candidate] = {f.comparison.baseline, f.verdict};
  return called;
}

/// What a finding on a metric shows of a cell: its baseline, and the interval of the change.
using Shown = std::map<CellId, std::pair<CellId, Interval>>;

Shown shown_on(const Findings& findings, MetricId metric) {
  Shown shown;
  for (const auto& f : findings.findings)
    if (f.metric == metric && f.rounds > 0)
      shown[f.comparison.candidate] = {f.comparison.baseline, f.interval};
  return shown;
}

/// A cell's change against the baseline that all its baselines go back to, by the intervals on the way.
std::pair<CellId, Interval> against_the_first(const Shown& shown, CellId cell, Scale scale) {
  const bool ratio = scale == Scale::ratio;
  Interval change{ratio ? 1.0 : 0.0, ratio ? 1.0 : 0.0, 1};
  auto step = shown.find(cell);
  for (std::size_t steps = 0; step != shown.end() && steps < shown.size(); ++steps) {
    const auto& [baseline, interval] = step->second;
    change.low = ratio ? change.low * interval.low : change.low + interval.low;
    change.high = ratio ? change.high * interval.high : change.high + interval.high;
    cell = baseline;
    step = shown.find(cell);
  }
  return {cell, change};
}

/// Whether the intervals of two cells' changes against one baseline lie apart.
bool lie_apart(const Shown& shown, CellId a, CellId b, Scale scale) {
  const auto [first_of_a, of_a] = against_the_first(shown, a, scale);
  const auto [first_of_b, of_b] = against_the_first(shown, b, scale);
  return first_of_a == first_of_b && (of_a.high < of_b.low || of_b.high < of_a.low);
}

/// Whether findings tell two cells apart: one is called against the other, or both against a third that
/// stands between them.
bool tell_apart(const Called& called, CellId a, CellId b) {
  const auto of_a = called.find(a), of_b = called.find(b);
  if (of_a != called.end() && of_a->second.first == b) return true;
  if (of_b != called.end() && of_b->second.first == a) return true;
  return of_a != called.end() && of_b != called.end() && of_a->second.first == of_b->second.first &&
         of_a->second.second != of_b->second.second;
}

using Set = std::set<std::size_t>;

using Alike = std::vector<std::vector<bool>>;

/// All largest sets of members in which every two are `alike`, but no more than `most` and one.
void largest_sets(const Alike& alike, const Set& chosen, Set open, Set done, std::size_t most,
                  std::vector<Set>& into) {
  if (open.empty() && done.empty()) into.push_back(chosen);
  if (open.empty() || into.size() > most) return;
  // A largest set has the pivot, or one that is unlike it: only those need trying.
  const auto likes = [&](std::size_t v) {
    return std::ranges::count_if(open, [&](std::size_t u) { return u != v && alike[v][u]; });
  };
  auto pivot = *open.begin();
  for (const auto* set : {&open, &done})
    for (const auto v : *set)
      if (likes(v) > likes(pivot)) pivot = v;
  const auto candidates = open;
  for (const auto v : candidates) {
    if (v != pivot && alike[pivot][v]) continue;
    Set with = chosen, next, past;
    with.insert(v);
    for (const auto u : open)
      if (u != v && alike[v][u]) next.insert(u);
    for (const auto u : done)
      if (alike[v][u]) past.insert(u);
    largest_sets(alike, with, next, past, most, into);
    open.erase(v);
    done.insert(v);
  }
}

}  // namespace

std::vector<CandidateGroup> find_groups(const Observations& evidence, const Findings& findings) {
  const auto& design = evidence.design;
  std::vector<CandidateGroup> groups;
  std::map<std::pair<WorkloadId, std::string>, std::vector<CellId>> places;
  for (const auto id : design.cells.ids())
    if (evidence.is_ok(id) && !design.is_twin(id))
      places[{design.cells[id].workload, design.cells[id].setting.text()}].push_back(id);
  for (const auto metric : design.metrics.ids()) {
    if (!design.metrics[metric].request.watched || design.metrics[metric].exact) continue;
    const auto values = values_by_cell(evidence.values(metric));
    const auto called = called_on(findings, metric);
    const auto shown = shown_on(findings, metric);
    for (const auto& [place, cells] : places) {
      if (cells.size() < 3) continue;
      std::vector<double> p;
      for (std::size_t a = 0; a < cells.size(); ++a)
        for (std::size_t b = a + 1; b < cells.size(); ++b)
          p.push_back(p_between(make_pairs(evidence, {cells[a], cells[b]}, metric, values),
                                design.metrics[metric], design.rules));
      const auto adjusted = stats::adjust_holm(p);
      Alike alike(cells.size(), std::vector<bool>(cells.size(), false));
      std::size_t at = 0, reported = 0;
      for (std::size_t a = 0; a < cells.size(); ++a)
        for (std::size_t b = a + 1; b < cells.size(); ++b) {
          const bool apart = adjusted[at++] <= error_rate || tell_apart(called, cells[a], cells[b]) ||
                             lie_apart(shown, cells[a], cells[b], design.metrics[metric].scale);
          alike[a][b] = alike[b][a] = !apart;
          reported += apart ? 1 : 0;
        }
      if (reported == 0 || reported == p.size()) continue;
      Set all;
      for (std::size_t a = 0; a < cells.size(); ++a) all.insert(a);
      std::vector<Set> sets;
      largest_sets(alike, {}, all, {}, cells.size(), sets);
      if (sets.size() > cells.size()) continue;
      for (const auto& set : sets) {
        if (set.size() < 2) continue;
        CandidateGroup group{.workload = place.first,
                             .setting = design.cells[cells.front()].setting,
                             .metric = metric,
                             .members = {}};
        for (const auto a : set) group.members.push_back(design.cells[cells[a]].candidate);
        groups.push_back(std::move(group));
      }
    }
  }
  return groups;
}

}  // namespace assay::judge
