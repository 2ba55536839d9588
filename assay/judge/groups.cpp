#include <algorithm>
#include <map>
#include <set>

#include "assay/judge/effect.hpp"
#include "assay/judge/findings.hpp"
#include "assay/judge/pairs.hpp"
#include "assay/judge/together.hpp"
#include "assay/stats/many.hpp"

namespace assay::judge {
namespace {

constexpr double alpha = 0.05;

/// p of no change between two cells at the last look that their common rounds reach; 1 before the first.
double p_between(const PairedSeries& series, const Metric& metric, const CampaignInfo& campaign) {
  const auto look = last_look(campaign, series.rounds.size());
  if (!look || (metric.scale == Scale::ratio && !all_positive(series))) return 1;
  const Question question{.metric = metric};
  const Effect effect(std::span(series.baseline).first(look->rounds),
                      std::span(series.candidate).first(look->rounds), question);
  return look->boundary->p_value(look->place, effect.count_of_no_change());
}

/// What findings call on a metric: a cell's baseline, and whether it is better or worse than that.
using Called = std::map<CellId, std::pair<CellId, Verdict>>;

Called called_on(const Findings& findings, MetricId metric) {
  Called called;
  for (const auto& f : findings.findings)
    if (f.metric == metric && (f.verdict == Verdict::better || f.verdict == Verdict::worse))
      called[f.of.candidate] = {f.of.baseline, f.verdict};
  return called;
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

std::vector<Group> find_groups(const Record& record, const Findings& findings) {
  std::vector<Group> groups;
  std::map<std::pair<WorkloadId, std::string>, std::vector<CellId>> places;
  for (std::size_t i = 0; i < record.cells.size(); ++i) {
    const auto& cell = record.cells[i];
    if (cell.standing == Standing::sound && !record.candidates[cell.candidate.place()].twin_of)
      places[{cell.workload, cell.setting.text()}].push_back(CellId{static_cast<std::int64_t>(i)});
  }
  for (std::size_t m = 0; m < record.metrics.size(); ++m) {
    const MetricId metric{static_cast<std::int64_t>(m)};
    if (!record.demands[m].watched || record.metrics[m].exact) continue;
    const auto values = by_cell(evidence_of(record, metric));
    const auto called = called_on(findings, metric);
    for (const auto& [place, cells] : places) {
      if (cells.size() < 3) continue;
      std::vector<double> p;
      for (std::size_t a = 0; a < cells.size(); ++a)
        for (std::size_t b = a + 1; b < cells.size(); ++b)
          p.push_back(p_between(pair_up({cells[a], cells[b]}, values), record.metrics[m], record.info));
      const auto adjusted = stats::adjust_holm(p);
      Alike alike(cells.size(), std::vector<bool>(cells.size(), false));
      std::size_t at = 0, told = 0;
      for (std::size_t a = 0; a < cells.size(); ++a)
        for (std::size_t b = a + 1; b < cells.size(); ++b) {
          const bool apart = adjusted[at++] <= alpha || tell_apart(called, cells[a], cells[b]);
          alike[a][b] = alike[b][a] = !apart;
          told += apart ? 1 : 0;
        }
      if (told == 0 || told == p.size()) continue;
      Set all;
      for (std::size_t a = 0; a < cells.size(); ++a) all.insert(a);
      std::vector<Set> sets;
      largest_sets(alike, {}, all, {}, cells.size(), sets);
      if (sets.size() > cells.size()) continue;
      for (const auto& set : sets) {
        if (set.size() < 2) continue;
        Group group{.workload = place.first,
                    .setting = record.cells[cells.front().place()].setting,
                    .metric = metric,
                    .members = {}};
        for (const auto a : set) group.members.push_back(record.cells[cells[a].place()].candidate);
        groups.push_back(std::move(group));
      }
    }
  }
  return groups;
}

std::vector<Turn> find_turns(const Record& record, const Findings& findings) {
  struct Seen {
    Level level;
    Verdict verdict;
  };
  std::vector<Turn> turns;
  for (const auto& factor : record.factors)
    for (std::size_t m = 0; m < record.metrics.size(); ++m) {
      if (!record.demands[m].watched) continue;
      std::map<std::tuple<CandidateId, WorkloadId, std::string>, std::pair<Setting, std::vector<Seen>>> rows;
      for (const auto& f : findings.findings) {
        const auto& cell = findings.candidate_of(f);
        const auto level = cell.setting.levels.find(factor.name);
        if (f.metric.place() != m || findings.candidate(cell).twin_of || level == cell.setting.levels.end() ||
            (f.verdict != Verdict::better && f.verdict != Verdict::worse))
          continue;
        auto others = cell.setting;
        others.levels.erase(factor.name);
        auto& [setting, seen] = rows[{cell.candidate, cell.workload, others.text()}];
        setting = others;
        seen.push_back({level->second, f.verdict});
      }
      for (const auto& [key, row] : rows) {
        const auto& seen = row.second;
        std::size_t changes = 0, at = 0;
        for (std::size_t i = 1; i < seen.size(); ++i)
          if (seen[i].verdict != seen[i - 1].verdict) {
            ++changes;
            at = i;
          }
        if (changes != 1) continue;
        turns.push_back({.candidate = std::get<0>(key),
                         .workload = std::get<1>(key),
                         .metric = MetricId{static_cast<std::int64_t>(m)},
                         .factor = factor.name,
                         .others = row.first,
                         .last = seen[at - 1].level,
                         .first = seen[at].level,
                         .before = seen[at - 1].verdict,
                         .after = seen[at].verdict});
      }
    }
  return turns;
}

}  // namespace assay::judge
