#include "assay/judge/findings.hpp"

#include <algorithm>
#include <map>
#include <set>
#include <string>

#include "assay/judge/paired.hpp"
#include "assay/judge/trust.hpp"
#include "assay/model/plan.hpp"
#include "assay/stats/many.hpp"

namespace assay::judge {
namespace {

std::set<int> whole_rounds(const Record& record) {
  std::set<int> numbers;
  for (const auto& round : record.rounds)
    if (round.state == RoundState::whole) numbers.insert(round.number);
  return numbers;
}

using ByRound = std::map<int, double>;

std::map<CellId, ByRound> by_cell(const Evidence& evidence) {
  std::map<CellId, ByRound> cells;
  for (std::size_t i = 0; i < evidence.size(); ++i)
    if (evidence.round[i]) cells[evidence.cell[i]][*evidence.round[i]] = evidence.value[i];
  return cells;
}

struct Pairs {
  std::vector<double> baseline, candidate;
};

Pairs pair_up(const ByRound& baseline, const ByRound& candidate) {
  Pairs pairs;
  for (const auto& [round, value] : candidate)
    if (const auto partner = baseline.find(round); partner != baseline.end()) {
      pairs.baseline.push_back(partner->second);
      pairs.candidate.push_back(value);
    }
  return pairs;
}

bool judgeable(const Pairs& pairs, const Metric& metric) {
  if (pairs.baseline.size() < static_cast<std::size_t>(fewest_rounds)) return false;
  const auto positive = [](double v) { return v > 0; };
  return metric.scale == Scale::difference ||
         (std::ranges::all_of(pairs.baseline, positive) && std::ranges::all_of(pairs.candidate, positive));
}

void judge_metric(const Record& record, MetricId id, Findings& into) {
  const auto& metric = record.metrics[id.place()];
  const auto& demand = record.demands[id.place()];
  const auto cells = by_cell(evidence_of(record, id));
  const auto first = into.findings.size();
  for (const auto& contrast : record.contrasts) {
    const auto baseline = cells.find(contrast.baseline), candidate = cells.find(contrast.candidate);
    if (baseline == cells.end() || candidate == cells.end()) continue;
    const auto pairs = pair_up(baseline->second, candidate->second);
    if (!judgeable(pairs, metric)) {
      if (demand.watched)
        into.trust.push_back(too_few_pairs(record, contrast, metric, pairs.baseline.size()));
      continue;
    }
    auto finding = judge_paired(pairs.baseline, pairs.candidate,
                                {.metric = metric, .margin = demand.margin.value_or(record.info.margin)});
    finding.of = contrast;
    finding.metric = id;
    into.findings.push_back(std::move(finding));
  }
  std::vector<double> p;
  for (auto i = first; i < into.findings.size(); ++i) p.push_back(into.findings[i].p);
  const auto adjusted = stats::adjust_benjamini_hochberg(p);
  for (auto i = first; i < into.findings.size(); ++i) into.findings[i].p_adjusted = adjusted[i - first];
}

/// What one round of the two cells costs, to price an unclear finding in time.
void price_in_seconds(const Record& record, Findings& into) {
  const auto wall = std::ranges::find(record.metrics, "wall time", &Metric::name);
  if (wall == record.metrics.end()) return;
  const MetricId wall_id{wall - record.metrics.begin()};
  std::map<CellId, std::pair<double, int>> spent;
  for (const auto& trial : record.trials)
    for (const auto& reading : trial.readings)
      if (reading.metric == wall_id && trial.role == Role::counted) {
        spent[trial.cell].first += reading.value;
        spent[trial.cell].second += 1;
        into.measured_seconds += reading.value;
      }
  for (auto& finding : into.findings) {
    if (!finding.to_settle || finding.to_settle->rounds == 0) continue;
    for (const auto cell : {finding.of.baseline, finding.of.candidate})
      if (const auto found = spent.find(cell); found != spent.end())
        finding.to_settle->seconds += finding.to_settle->rounds * found->second.first / found->second.second;
  }
}

}  // namespace

Evidence evidence_of(const Record& record, MetricId metric) {
  const auto whole = whole_rounds(record);
  Evidence evidence{.metric = metric};
  for (const auto& trial : record.trials) {
    const bool judged = trial.role == Role::counted && trial.outcome == Outcome::ok && trial.round &&
                        whole.contains(*trial.round) &&
                        record.cells[trial.cell.place()].standing == Standing::sound;
    if (!judged) continue;
    for (const auto& reading : trial.readings)
      if (reading.metric == metric)
        evidence.add(trial.cell, trial.round, record.sittings[trial.sitting.place()].machine, trial.position,
                     reading.value);
  }
  return evidence;
}

Findings judge_record(const Record& record) {
  Findings findings{.campaign = record.info,
                    .provisional = record.info.state != CampaignState::ended,
                    .candidates = record.candidates,
                    .workloads = record.workloads,
                    .cells = record.cells,
                    .metrics = record.metrics,
                    .demands = record.demands};
  findings.rounds = static_cast<std::size_t>(std::ranges::count_if(
      record.rounds, [](const Round& r) { return r.state == RoundState::whole && r.number > 1; }));
  for (std::size_t m = 0; m < record.metrics.size(); ++m)
    if (record.metrics[m].prefer != Prefer::neither && record.metrics[m].about == About::work)
      judge_metric(record, MetricId{static_cast<std::int64_t>(m)}, findings);
  price_in_seconds(record, findings);
  add_trust_notes(record, findings);
  return findings;
}

}  // namespace assay::judge
