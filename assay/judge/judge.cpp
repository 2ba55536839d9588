#include "assay/judge/judge.hpp"

#include <algorithm>
#include <iterator>
#include <map>
#include <optional>
#include <utility>

#include "assay/judge/aggregates.hpp"
#include "assay/judge/cpu_wall.hpp"
#include "assay/judge/gate.hpp"
#include "assay/judge/latencies.hpp"
#include "assay/judge/machines.hpp"
#include "assay/judge/notes.hpp"
#include "assay/judge/paired_series.hpp"
#include "assay/judge/paired_test.hpp"
#include "assay/judge/program_traits.hpp"
#include "assay/judge/sequential.hpp"
#include "assay/judge/unpaired.hpp"
#include "assay/judge/where.hpp"
#include "assay/judge/within_trials.hpp"
#include "assay/metrics/catalogue.hpp"
#include "assay/model/error.hpp"
#include "assay/model/plan.hpp"
#include "assay/stats/location.hpp"

namespace assay::judge {
namespace {

/// Why these pairs are not judged, as a note; none when they are.
std::optional<Note> reason_not_judged(const PairedSeries& series, MetricId id, const Metric& metric) {
  Note note{.subject = series.comparison.candidate, .level = Note::Level::warning, .metric = id};
  constexpr int fewest_with_repeats = 2;
  const int fewest = series.replication.is_replicated() ? fewest_with_repeats : fewest_rounds;
  if (series.rounds.size() < static_cast<std::size_t>(fewest)) {
    note.kind = NoteKind::too_few_rounds;
    note.value = static_cast<double>(series.rounds.size());
    note.threshold = fewest;
    return note;
  }
  if (!all_valid(series, metric.scale)) {
    note.kind = NoteKind::not_positive;
    return note;
  }
  if (!(metric.resolution_limit > 0)) return {};
  const double typical = std::min(stats::median(series.baseline), stats::median(series.candidate));
  if (!(typical < metric.resolution_limit)) return {};
  note.kind = NoteKind::too_coarse;
  note.value = typical;
  note.threshold = metric.resolution_limit;
  return note;
}

/// Pairs that can't be judged yet, by their place in the family.
using TooFew = std::map<std::size_t, PairedSeries>;

/// The pairs of every comparison whose cells are ok; twins form a family of their own. One that can't be
/// judged has no pairs here, but still counts among the many: nothing is decided sooner for its want.
std::vector<PairedSeries> family_of(const Observations& evidence, MetricId id, bool twins,
                                    std::vector<Note>* notes, TooFew& too_few) {
  const auto& design = evidence.design;
  std::vector<PairedSeries> family;
  for (const auto& comparison : design.comparisons) {
    if (design.is_twin(comparison.candidate) != twins || !evidence.is_ok(comparison)) continue;
    auto series = make_pairs(evidence, comparison, id);
    if (const auto note = reason_not_judged(series, id, design.metrics[id])) {
      if (note->kind == NoteKind::too_few_rounds && all_valid(series, design.metrics[id].scale)) {
        if (!series.rounds.empty() && !twins) too_few.emplace(family.size(), series);
      } else if (notes != nullptr && !series.rounds.empty()) {
        notes->push_back(*note);
      }
      series = PairedSeries{.comparison = comparison, .replication = series.replication};
    }
    family.push_back(std::move(series));
  }
  return family;
}

/// The change that pairs show which are too few for a verdict.
Finding descriptive_finding(const PairedSeries& series, PairedTestOptions question) {
  question.no_clipping = true;
  auto seen = estimate_of(series, series.rounds.size(), question).to_finding(0, question.level);
  seen.comparison = series.comparison;
  seen.rounds_to_decide = RoundsToDecide{.obstacle = RoundsToDecide::Obstacle::too_few_rounds};
  describe_machines(series, question.metric, seen);
  return seen;
}

std::vector<Finding> judge_family(const Observations& evidence, MetricId id, bool twins, Stage stage,
                                  std::vector<Note>* notes) {
  const bool exact = evidence.design.metrics[id].exact;
  auto compared = exact ? compare_exactly(evidence, id, twins) : std::nullopt;
  if (exact && !compared && notes != nullptr)
    notes->push_back({.kind = NoteKind::not_exact, .subject = id, .level = Note::Level::warning});
  std::vector<Finding> findings;
  if (compared) {
    findings = *std::move(compared);
  } else {
    TooFew too_few;
    const auto series = family_of(evidence, id, twins, notes, too_few);
    constexpr std::size_t most_priced = 24;  // each takes some milliseconds
    auto family = family_rules(evidence.design, id, series, judges_wall_time(evidence));
    family.priced = notes != nullptr && series.size() <= most_priced;
    findings = decide_family(series, family, stage);
    if (notes != nullptr)
      for (const auto& [place, pairs] : too_few) findings[place] = descriptive_finding(pairs, family.options);
  }
  for (auto& finding : findings) finding.metric = id;
  return findings;
}

/// Prices unclear findings in time, as the command that measures all of it again would take it: its own two
/// cells for all the rounds it needs, the others for as many as they had.
void add_cost_in_seconds(const Observations& evidence, Findings& into) {
  std::map<CellId, std::pair<double, int>> spent;  // seconds, rounds
  const auto times = run_times(evidence);
  for (std::size_t i = 0; i < times.size(); ++i) {
    spent[times.cell[i]].first += times.value[i];
    spent[times.cell[i]].second += times.repeat[i] == 0 ? 1 : 0;
    into.measured_seconds += times.value[i];
  }
  for (auto& finding : into.findings) {
    if (!finding.rounds_to_decide || finding.rounds_to_decide->rounds == 0) continue;
    auto& price = *finding.rounds_to_decide;
    price.seconds = into.measured_seconds;
    for (const auto cell : {finding.comparison.baseline, finding.comparison.candidate})
      if (const auto found = spent.find(cell); found != spent.end())
        price.seconds += found->second.first * (static_cast<double>(price.rounds) / found->second.second - 1);
  }
}

/// Which unclear findings programs that keep to one core would settle sooner abreast, where that was not
/// tried.
void mark_concurrent_candidates(const Observations& evidence, std::vector<Finding>& findings) {
  if (evidence.design.rules.way != Way::turns) return;
  const auto on_one_core = single_core_cells(evidence);
  for (auto& f : findings)
    if (f.rounds_to_decide && evidence.design.metrics[f.metric].is_time() &&
        on_one_core.contains(f.comparison.baseline) && on_one_core.contains(f.comparison.candidate))
      f.rounds_to_decide->suits_abreast = true;
}

/// Computes what stands beside the verdicts. A failure becomes a note and does not cost the verdicts.
template <class Work>
void run_optional(const char* what, Findings& findings, Work&& work) {
  try {
    work();
  } catch (const DomainError& error) {
    findings.notes.push_back(
        {.kind = NoteKind::analysis_failed, .quoted = std::string(what) + ": " + error.what()});
  }
}

}  // namespace

std::vector<Finding> interim_findings(const Design& design, const Observations& evidence) {
  std::vector<Finding> all;
  if (design.rules.rounds_max == 0) return all;  // no looks are planned
  for (const auto id : design.metrics.ids())
    for (const bool twins : {false, true})
      if (design.metrics[id].request.watched && design.metrics[id].is_judged())
        std::ranges::move(judge_family(evidence, id, twins, Stage::running, nullptr),
                          std::back_inserter(all));
  return all;
}

Findings judge(const Design& design, const Observations& evidence) {
  Findings findings{.design = design,
                    .state = evidence.campaign_state(),
                    .statuses = evidence.statuses(),
                    .provisional = !evidence.has_ended(),
                    .rounds = evidence.rounds(),
                    .ways = evidence.way_choices(),
                    .programs = program_traits(evidence)};
  if (const auto wall = metrics::find(design.metrics, metrics::MetricKind::wall_time))
    for (const auto& [cell, values] : values_in_turns(evidence, *wall))
      findings.wall_in_turns[cell] = median_of_values(values);
  const auto stage = evidence.has_ended() ? Stage::ended : Stage::running;
  for (const auto id : design.metrics.ids())
    for (const bool twins : {false, true}) {
      const auto& metric = design.metrics[id];
      if (!metric.is_judged()) continue;
      auto* notes = metric.request.watched ? &findings.notes : nullptr;
      for (auto& finding : judge_family(evidence, id, twins, stage, notes))
        if (finding.rounds > 0) findings.findings.push_back(std::move(finding));
    }
  for (auto& finding : judge_unpaired(evidence)) findings.findings.push_back(std::move(finding));
  note_unlike_machines(design, findings.findings);
  link_cpu_and_wall(evidence, findings.findings);
  add_cost_in_seconds(evidence, findings);
  mark_concurrent_candidates(evidence, findings.findings);
  apply_saturation(evidence, findings);
  run_optional("how costs grow", findings, [&] { findings.scaling = fit_scaling(evidence); });
  run_optional("the overall change", findings, [&] { findings.overall = judge_overall(evidence, findings); });
  run_optional("the order of candidates", findings,
               [&] { findings.rankings = rank_candidates(evidence, findings); });
  run_optional("turning points", findings, [&] { findings.reversals = find_reversals(evidence, findings); });
  findings.failures = judge_failures(evidence);
  run_optional("how much values vary", findings, [&] { findings.spreads = judge_variability(evidence); });
  findings.requirements = judge_requirements(evidence);
  const auto beside = [&](const auto& result) {
    return !is_primary_time(design, findings.findings, result.metric);
  };
  std::erase_if(findings.scaling, beside);
  std::erase_if(findings.overall, beside);
  std::erase_if(findings.rankings, beside);
  std::erase_if(findings.reversals, beside);
  std::erase_if(findings.spreads, beside);
  add_notes(evidence, findings);
  run_optional("what happens within trials", findings, [&] { add_within_trial_spread(evidence, findings); });
  run_optional("latencies of all requests", findings,
               [&] { findings.latencies = pooled_latencies(evidence); });
  run_optional("the profile", findings,
               [&] { findings.profile = make_profile(evidence, findings.findings); });
  return findings;
}

Findings judge_record(const Record& record) {
  auto findings = judge(record.design, Observations(record.design, record.log));
  findings.where = judge_code_samples(record.design, record.log);
  findings.where_remarks = record.log.samples.remarks;
  return findings;
}

}  // namespace assay::judge
