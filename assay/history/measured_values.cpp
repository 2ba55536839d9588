#include "assay/history/measured_values.hpp"

#include <algorithm>
#include <set>
#include <tuple>

#include "assay/judge/judge.hpp"
#include "assay/judge/machines.hpp"
#include "assay/judge/paired_series.hpp"
#include "assay/judge/paired_test.hpp"
#include "assay/metrics/catalogue.hpp"
#include "assay/model/observations.hpp"

namespace assay::history {

namespace {

/// What is kept of a finding between commits.
CommitsCompared compared_of(const Findings& findings, const Finding& f) {
  return {.before = findings.candidate(findings.baseline_cell(f)).name,
          .after = findings.candidate(findings.candidate_cell(f)).name,
          .verdict = f.verdict,
          .effect = f.effect,
          .interval = f.interval,
          .rounds = f.rounds,
          .campaign = findings.design.uid,
          .layouts = layouts_of(findings.design, f.comparison)};
}

/// The finding by itself: a campaign's own intervals are wider, or without ends, where it has many.
Finding judged_alone(const Observations& evidence, const Finding& f, const Metric& metric) {
  auto series = judge::make_pairs(f.comparison, evidence.by_cell(f.metric));
  if (metric.exact) return f;
  auto alone = f;
  alone.rounds = series.rounds.size();
  if (series.baseline.empty() || !judge::all_valid(series, metric.scale)) return alone;
  judge::mark_machines(evidence, series);
  series = judge::on_one_level(series, series.rounds.size(), metric);
  series.replication.layouts = layouts_of(evidence.design, f.comparison);
  if (series.replication.layouts > 0)
    std::tie(series.baseline, series.candidate) =
        judge::layout_means(series, series.rounds.size(), metric.scale);
  const auto judged =
      judge::judge_paired(series.baseline, series.candidate, {.metric = metric, .rest = false});
  alone.effect = judged.effect;
  alone.interval = judged.interval;
  return alone;
}

/// The rounds of a campaign that machines of one kind ran.
struct RoundsOfKind {
  std::string machine;  ///< the kind
  Observations evidence;
};

/// By kind of machine, in the order of their sessions. Where there are several, a kind without judged rounds has none of a
/// history. Where nothing was measured, the last session's kind alone.
std::vector<RoundsOfKind> rounds_by_kind(const Record& record) {
  const auto kind_of = [&](SessionId id) { return record.log.sessions[id].fact("fingerprint"); };
  std::vector<std::string> kinds;
  for (const auto& round : record.log.rounds)
    if (round.state == RoundState::complete && round.role == Role::measured &&
        std::ranges::count(kinds, kind_of(round.session)) == 0)
      kinds.push_back(kind_of(round.session));
  if (kinds.size() < 2)
    kinds = {record.log.sessions.empty() ? "" : record.log.sessions.back().fact("fingerprint")};
  if (kinds.size() == 1) return {{kinds.front(), Observations(record.design, record.log)}};
  std::vector<RoundsOfKind> all;
  for (const auto& kind : kinds) {
    auto log = record.log;
    std::erase_if(log.rounds, [&](const Round& round) { return kind_of(round.session) != kind; });
    std::erase_if(log.trials, [&](const Trial& trial) { return kind_of(trial.session) != kind; });
    all.push_back({kind, Observations(record.design, log)});
  }
  return all;
}

void add_unmeasurable(MeasuredValues& archive, const Findings& findings, const std::string& reference) {
  const auto& design = findings.design;
  std::set<CandidateId> sound;
  for (const auto cell : design.cells.ids())
    if (findings.statuses[cell].is_ok()) sound.insert(design.cells[cell].candidate);
  for (const auto cell : design.cells.ids()) {
    const auto id = design.cells[cell].candidate;
    const auto& commit = design.candidates[id].from.commit;
    if (!sound.contains(id) && !commit.empty() && commit != reference)
      archive.silent.emplace(commit, findings.statuses[cell].detail);
  }
}

/// Whether a campaign shows what can be had of its cells: one that was cut off before it could decide anything does not.
bool was_tried(const Findings& findings) {
  const auto fewest = findings.state == CampaignState::ended ? 1 : static_cast<std::size_t>(fewest_rounds);
  return findings.rounds >= fewest;
}

}  // namespace

void add_record(MeasuredValues& archive, const Record& record, const std::string& reference) {
  const auto findings = judge::judge_record(record);
  const auto& design = findings.design;
  const bool is_step = design.kind == CampaignKind::step;
  const auto kinds = rounds_by_kind(record);
  const auto environment_of = [&](const RoundsOfKind& kind, const Candidate& reference_there) {
    return kind.machine + "/" + reference_there.from.exe_digest;
  };
  for (const auto& comparison : design.comparisons) {
    const auto &before = design.candidate_of(comparison.baseline),
               &after = design.candidate_of(comparison.candidate);
    if (is_step || after.twin_of || after.from.commit.empty() || before.from.commit != reference) continue;
    if (findings.statuses[comparison.candidate].is_ok() && !was_tried(findings)) continue;
    const auto& workload = design.workload_of(comparison.candidate);
    for (const auto& kind : kinds)
      archive.tried.insert({after.from.commit, workload.name, workload.digest,
                            design.cells[comparison.candidate].setting.text(), environment_of(kind, before)});
  }
  for (const auto& metric : design.metrics)
    if (metric.request.watched) archive.metrics.emplace(metric.name, metric);
  for (const auto& f : findings.findings) {
    const auto& metric = findings.metric_of(f);
    const auto& before = findings.candidate(findings.baseline_cell(f));
    const auto& after = findings.candidate(findings.candidate_cell(f));
    if (!metric.request.watched || after.twin_of || after.from.commit.empty() || f.rounds == 0) continue;
    const auto& cell = findings.candidate_cell(f);
    const SeriesKey where{findings.workload(cell).name, cell.setting.text(), metric.name};
    if (is_step) {
      archive.pairs[{before.from.commit, after.from.commit, where.workload, where.setting, where.metric}] = {
          compared_of(findings, f), f.p, design.started};
    } else if (before.from.commit == reference) {
      for (const auto& kind : kinds) {
        const auto alone = judged_alone(kind.evidence, f, metric);
        const bool few = !metric.exact && alone.rounds < static_cast<std::size_t>(fewest_rounds);
        if (kinds.size() > 1 && few) continue;
        archive.values.push_back({.commit = after.from.commit,
                                  .where = where,
                                  .definition = findings.workload(cell).digest,
                                  .environment = environment_of(kind, before),
                                  .machine = kind.machine,
                                  .campaign = design.uid,
                                  .effect = alone.effect,
                                  .interval = alone.interval,
                                  .rounds = alone.rounds,
                                  .started = design.started});
        archive.silent.erase(after.from.commit);
      }
    }
  }
  if (!is_step &&
      std::ranges::any_of(design.candidates, [&](const Candidate& c) { return c.from.commit == reference; }))
    add_unmeasurable(archive, findings, reference);
}

double regression_sign(const Metric& metric) { return metric.direction == Direction::higher ? -1 : 1; }

std::vector<double> regression_effects(const Record& record, CandidateId later, const SeriesKey& where) {
  const auto& design = record.design;
  const auto metric = design.metrics.find([&](const Metric& m) { return m.name == where.metric; });
  if (!metric) return {};
  const Observations evidence(design, record.log);
  const auto& values = evidence.by_cell(*metric);
  const auto scale = design.metrics[*metric].scale;
  std::vector<double> effects;
  for (const auto& comparison : design.comparisons) {
    const auto& cell = design.cells[comparison.candidate];
    if (cell.candidate != later || design.workloads[cell.workload].name != where.workload ||
        cell.setting.text() != where.setting)
      continue;
    const auto series = judge::make_pairs(comparison, values);
    for (std::size_t i = 0; i < series.rounds.size(); ++i)
      if (is_valid_value(scale, series.baseline[i]) && is_valid_value(scale, series.candidate[i]))
        effects.push_back(regression_sign(design.metrics[*metric]) *
                          transformed_effect(scale, series.baseline[i], series.candidate[i]));
  }
  return effects;
}

double seconds_of_pair(const Record& record) {
  const auto time = metrics::find(record.design.metrics, metrics::MetricKind::wall_time);
  double seconds = 0;
  std::size_t trials = 0;
  for (const auto& trial : record.log.trials)
    for (const auto& reading : trial.readings)
      if (trial.round && reading.metric == time) {
        seconds += reading.value;
        ++trials;
      }
  constexpr double unknown = 0.1;
  return trials == 0 ? unknown : 2 * seconds / static_cast<double>(trials);
}

}  // namespace assay::history
