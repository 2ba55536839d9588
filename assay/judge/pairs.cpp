#include "assay/judge/pairs.hpp"

#include <algorithm>
#include <cstdlib>
#include <set>

#include "assay/judge/findings.hpp"

namespace assay::judge {

bool all_positive(const PairedSeries& series) {
  const auto above_zero = [](double v) { return v > 0; };
  return std::ranges::all_of(series.baseline, above_zero) &&
         std::ranges::all_of(series.candidate, above_zero);
}

std::set<int> whole_rounds(const Record& record) {
  std::set<int> numbers;
  for (const auto& round : record.rounds)
    if (round.state == RoundState::whole) numbers.insert(round.number);
  return numbers;
}

std::vector<int> looks_of(const CampaignInfo& campaign) {
  return schedule::planned_looks(std::clamp(campaign.rounds_min, 1, campaign.rounds_max),
                                 campaign.rounds_max);
}

std::optional<LastLook> last_look(const CampaignInfo& campaign, std::size_t pairs) {
  const auto n = static_cast<int>(pairs);
  if (n == 0) return {};
  const auto looks = campaign.rounds_max == 0 ? std::vector{n} : looks_of(campaign);
  const auto beyond = std::ranges::upper_bound(looks, n);
  if (beyond == looks.begin()) return {};
  return LastLook{.boundary = schedule::boundary_for(looks),
                  .place = static_cast<std::size_t>(beyond - looks.begin()) - 1,
                  .rounds = static_cast<std::size_t>(*(beyond - 1))};
}

bool is_judged(const Metric& metric) {
  return metric.prefer != Prefer::neither && metric.about == About::work;
}

namespace {

/// The supporting metrics that are measured: they divide the error rate of one among them.
int supporting_metrics(const Record& record) {
  int count = 0;
  for (std::size_t i = 0; i < record.metrics.size(); ++i)
    if (record.metrics[i].supporting && !record.demands[i].watched && is_judged(record.metrics[i]) &&
        record.demands[i].missing.empty())
      ++count;
  return std::max(count, 1);
}

}  // namespace

Family rules_for(const Record& record, MetricId id, std::span<const PairedSeries> series) {
  const auto& info = record.info;
  Family family{.question = {.metric = record.metrics[id.place()],
                             .margin = record.demands[id.place()].margin.value_or(info.margin)},
                .min_rounds = info.rounds_min,
                .max_rounds = info.rounds_max};
  if (family.question.metric.supporting && !record.demands[id.place()].watched)
    family.question.level = 1 - (1 - family.question.level) / supporting_metrics(record);
  if (family.max_rounds > 0) return family;
  for (const auto& s : series)
    family.max_rounds = std::max(family.max_rounds, static_cast<int>(s.rounds.size()));
  family.max_rounds = std::max(family.max_rounds, 1);
  family.min_rounds = family.max_rounds;
  return family;
}

Evidence evidence_of(const Record& record, MetricId metric, Role role) {
  const auto whole = whole_rounds(record);
  Evidence evidence{.metric = metric};
  for (const auto& trial : record.trials) {
    const bool judged = trial.role == role && trial.outcome == Outcome::ok && trial.round &&
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

ByCell by_cell(const Evidence& evidence) {
  ByCell cells;
  for (std::size_t i = 0; i < evidence.size(); ++i)
    if (evidence.round[i]) cells[evidence.cell[i]][*evidence.round[i]] = evidence.value[i];
  return cells;
}

PairedSeries pair_up(const Contrast& of, const ByCell& cells) {
  PairedSeries series{.of = of};
  const auto baseline = cells.find(of.baseline), candidate = cells.find(of.candidate);
  if (baseline == cells.end() || candidate == cells.end()) return series;
  for (const auto& [round, value] : candidate->second)
    if (const auto partner = baseline->second.find(round); partner != baseline->second.end()) {
      series.rounds.push_back(round);
      series.baseline.push_back(partner->second);
      series.candidate.push_back(value);
    }
  return series;
}

double cores_of(const Record& record) {
  for (const auto& sitting : record.sittings)
    for (const auto& fact : sitting.facts)
      if (fact.name == "cores") return std::max(1.0, std::atof(fact.value.c_str()));
  return 1;
}

}  // namespace assay::judge
