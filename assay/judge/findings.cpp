#include "assay/judge/findings.hpp"

#include <algorithm>
#include <iterator>
#include <map>
#include <optional>
#include <set>
#include <span>
#include <utility>

#include "assay/judge/exact.hpp"
#include "assay/judge/pairs.hpp"
#include "assay/judge/requirements.hpp"
#include "assay/judge/settle.hpp"
#include "assay/judge/together.hpp"
#include "assay/judge/trends.hpp"
#include "assay/judge/trust.hpp"
#include "assay/judge/unpaired.hpp"
#include "assay/model/plan.hpp"
#include "assay/stats/location.hpp"

namespace assay::judge {
namespace {

/// Why these pairs are not judged, as a note; none when they are.
std::optional<TrustNote> objection(const Record& record, const PairedSeries& series, const Metric& metric) {
  if (series.rounds.size() < static_cast<std::size_t>(fewest_rounds))
    return too_few_pairs(record, series.of, metric, series.rounds.size());
  if (metric.scale == Scale::ratio && !all_positive(series)) return not_positive(record, series.of, metric);
  if (metric.coarse_below > 0) {
    const double typical = std::min(stats::median(series.baseline), stats::median(series.candidate));
    if (typical < metric.coarse_below) return too_coarse(record, series.of, metric, typical);
  }
  return {};
}

/// The pairs of every contrast whose cells are sound; twins form a family of their own. One that can't be
/// judged has no pairs here, but still counts among the many: nothing is settled sooner for its want.
std::vector<PairedSeries> family_of(const Record& record, MetricId id, bool twins,
                                    std::vector<TrustNote>* notes) {
  const auto cells = by_cell(evidence_of(record, id));
  const auto& metric = record.metrics[id.place()];
  std::vector<PairedSeries> family;
  for (const auto& contrast : record.contrasts) {
    const auto &baseline = record.cells[contrast.baseline.place()],
               &cell = record.cells[contrast.candidate.place()];
    if (record.candidates[cell.candidate.place()].twin_of.has_value() != twins) continue;
    if (baseline.standing != Standing::sound || cell.standing != Standing::sound) continue;
    auto series = pair_up(contrast, cells);
    if (const auto note = objection(record, series, metric)) {
      if (notes != nullptr && !series.rounds.empty()) notes->push_back(*note);
      series = PairedSeries{.of = contrast};
    }
    family.push_back(std::move(series));
  }
  return family;
}

std::vector<Finding> judge_family(const Record& record, MetricId id, bool twins, Stage stage,
                                  std::vector<TrustNote>* notes) {
  const bool exact = record.metrics[id.place()].exact;
  auto compared = exact ? compare_exactly(record, id, twins) : std::nullopt;
  if (exact && !compared && notes != nullptr) notes->push_back(not_exact(record.metrics[id.place()]));
  std::vector<Finding> findings;
  if (compared) {
    findings = *std::move(compared);
  } else {
    const auto series = family_of(record, id, twins, notes);
    findings = settle(series, rules_for(record, id, series), stage);
  }
  for (auto& finding : findings) finding.metric = id;
  return findings;
}

/// Prices unclear findings in time, as the command that measures all of it again would take it: its own two
/// cells for all the rounds it needs, the others for as many as they had.
void price_in_seconds(const Record& record, Findings& into) {
  // Programs that ran abreast have no wall time of their own; their CPU times on one core add up to it.
  const auto wall =
      std::ranges::find(record.metrics, record.info.abreast ? "cpu time" : "wall time", &Metric::name);
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
    auto& price = *finding.to_settle;
    price.seconds = into.measured_seconds;
    for (const auto cell : {finding.of.baseline, finding.of.candidate})
      if (const auto found = spent.find(cell); found != spent.end())
        price.seconds += found->second.first * (static_cast<double>(price.rounds) / found->second.second - 1);
  }
}

}  // namespace

std::vector<Finding> watched_so_far(const Record& record) {
  std::vector<Finding> all;
  if (record.info.rounds_max == 0) return all;  // no looks are planned
  for (std::size_t m = 0; m < record.metrics.size(); ++m)
    for (const bool twins : {false, true})
      if (record.demands[m].watched && is_judged(record.metrics[m]))
        std::ranges::move(
            judge_family(record, MetricId{static_cast<std::int64_t>(m)}, twins, Stage::going, nullptr),
            std::back_inserter(all));
  return all;
}

Findings judge_record(const Record& record) {
  Findings findings{.campaign = record.info,
                    .provisional = record.info.state != CampaignState::ended,
                    .candidates = record.candidates,
                    .workloads = record.workloads,
                    .cells = record.cells,
                    .metrics = record.metrics,
                    .demands = record.demands};
  std::set<int> judged;
  for (const auto& trial : record.trials)
    if (trial.role == Role::counted && trial.round) judged.insert(*trial.round);
  findings.rounds = static_cast<std::size_t>(std::ranges::count_if(record.rounds, [&](const Round& r) {
    return r.state == RoundState::whole && judged.contains(r.number);
  }));
  const auto stage = record.info.state == CampaignState::ended ? Stage::ended : Stage::going;
  for (std::size_t m = 0; m < record.metrics.size(); ++m)
    for (const bool twins : {false, true}) {
      if (!is_judged(record.metrics[m])) continue;
      auto* notes = record.demands[m].watched ? &findings.trust : nullptr;
      for (auto& finding : judge_family(record, MetricId{static_cast<std::int64_t>(m)}, twins, stage, notes))
        if (finding.rounds > 0) findings.findings.push_back(std::move(finding));
    }
  for (auto& finding : judge_unpaired(record)) findings.findings.push_back(std::move(finding));
  price_in_seconds(record, findings);
  apply_ceilings(record, findings);
  findings.trends = find_trends(record, findings);
  findings.overall = judge_overall(record, findings);
  findings.groups = find_groups(record, findings);
  findings.turns = find_turns(record, findings);
  findings.failures = judge_failures(record);
  findings.spreads = judge_spreads(record);
  findings.requirements = judge_requirements(record);
  add_trust_notes(record, findings);
  return findings;
}

}  // namespace assay::judge
