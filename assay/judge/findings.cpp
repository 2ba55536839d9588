#include "assay/judge/findings.hpp"

#include <algorithm>
#include <iterator>
#include <map>
#include <optional>
#include <utility>

#include "assay/judge/ceilings.hpp"
#include "assay/judge/estimate.hpp"
#include "assay/judge/exact.hpp"
#include "assay/judge/failures.hpp"
#include "assay/judge/groups.hpp"
#include "assay/judge/overall.hpp"
#include "assay/judge/pairs.hpp"
#include "assay/judge/pooled_latencies.hpp"
#include "assay/judge/profile.hpp"
#include "assay/judge/requirements.hpp"
#include "assay/judge/settle.hpp"
#include "assay/judge/spread.hpp"
#include "assay/judge/times.hpp"
#include "assay/judge/trends.hpp"
#include "assay/judge/trust.hpp"
#include "assay/judge/turns.hpp"
#include "assay/judge/unpaired.hpp"
#include "assay/judge/within_trials.hpp"
#include "assay/metrics/catalogue.hpp"
#include "assay/model/error.hpp"
#include "assay/model/plan.hpp"
#include "assay/stats/location.hpp"

namespace assay::inline v1::judge {
namespace {

/// Why these pairs are not judged, as a note; none when they are.
std::optional<Note> objection(const PairedSeries& series, MetricId id, const Metric& metric) {
  Note note{.subject = series.of.candidate, .level = Note::Level::warning, .metric = id};
  constexpr int fewest_with_repeats = 2;
  const int fewest = series.repeats.any() ? fewest_with_repeats : fewest_rounds;
  if (series.rounds.size() < static_cast<std::size_t>(fewest)) {
    note.kind = NoteKind::too_few_rounds;
    note.figure = static_cast<double>(series.rounds.size());
    note.threshold = fewest;
    return note;
  }
  if (!all_fit(series, metric.scale)) {
    note.kind = NoteKind::not_positive;
    return note;
  }
  if (!(metric.coarse_below > 0)) return {};
  const double typical = std::min(stats::median(series.baseline), stats::median(series.candidate));
  if (!(typical < metric.coarse_below)) return {};
  note.kind = NoteKind::too_coarse;
  note.figure = typical;
  note.threshold = metric.coarse_below;
  return note;
}

/// Pairs that can't be judged yet, by their place in the family.
using TooFew = std::map<std::size_t, PairedSeries>;

/// The pairs of every contrast whose cells are sound; twins form a family of their own. One that can't be
/// judged has no pairs here, but still counts among the many: nothing is settled sooner for its want.
std::vector<PairedSeries> family_of(const Evidence& evidence, MetricId id, bool twins,
                                    std::vector<Note>* notes, TooFew& too_few) {
  const auto& design = evidence.design;
  const auto cells = by_cell(evidence.values(id));
  std::vector<PairedSeries> family;
  for (const auto& contrast : design.contrasts) {
    if (design.is_twin(contrast.candidate) != twins || !evidence.is_sound(contrast)) continue;
    auto series = pair_up(evidence, contrast, id, cells);
    if (const auto note = objection(series, id, design.metrics[id])) {
      if (note->kind == NoteKind::too_few_rounds && all_fit(series, design.metrics[id].scale)) {
        if (!series.rounds.empty() && !twins) too_few.emplace(family.size(), series);
      } else if (notes != nullptr && !series.rounds.empty()) {
        notes->push_back(*note);
      }
      series = PairedSeries{.of = contrast, .repeats = series.repeats};
    }
    family.push_back(std::move(series));
  }
  return family;
}

/// The change that pairs show which are too few for a verdict.
Finding as_seen(const PairedSeries& series, Question question) {
  question.all_runs = true;
  auto seen = estimate_of(series, series.rounds.size(), question).describe(0, question.level);
  seen.of = series.of;
  seen.to_settle = Price{.obstacle = Price::Obstacle::too_few_rounds};
  return seen;
}

std::vector<Finding> judge_family(const Evidence& evidence, MetricId id, bool twins, Stage stage,
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
    auto family = rules_for(evidence.design, id, series);
    family.priced = notes != nullptr && series.size() <= most_priced;
    findings = settle(series, family, stage);
    if (notes != nullptr)
      for (const auto& [place, pairs] : too_few) findings[place] = as_seen(pairs, family.question);
  }
  for (auto& finding : findings) finding.metric = id;
  return findings;
}

/// Prices unclear findings in time, as the command that measures all of it again would take it: its own two
/// cells for all the rounds it needs, the others for as many as they had.
void price_in_seconds(const Evidence& evidence, Findings& into) {
  // Programs that ran abreast have no wall time of their own; their CPU times on one core add up to it.
  const auto time =
      metrics::find(evidence.design.metrics,
                    evidence.design.rules.abreast ? metrics::Known::cpu_time : metrics::Known::wall_time);
  if (!time) return;
  std::map<CellId, std::pair<double, int>> spent;  // seconds, rounds
  const auto& times = evidence.values(*time);
  for (std::size_t i = 0; i < times.size(); ++i) {
    spent[times.cell[i]].first += times.value[i];
    spent[times.cell[i]].second += times.repeat[i] == 0 ? 1 : 0;
    into.measured_seconds += times.value[i];
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

/// Which unclear findings programs that keep to one core would settle sooner abreast.
void see_what_suits_abreast(const Evidence& evidence, std::vector<Finding>& findings) {
  if (evidence.design.rules.abreast) return;
  const auto on_one_core = cells_on_one_core(evidence);
  for (auto& f : findings)
    if (f.to_settle && evidence.design.metrics[f.metric].is_time() && on_one_core.contains(f.of.baseline) &&
        on_one_core.contains(f.of.candidate))
      f.to_settle->suits_abreast = true;
}

/// What is told besides verdicts must not cost the verdicts: where it can't be worked out, that is said.
template <class Work>
void attempt(const char* what, Findings& findings, Work&& work) {
  try {
    work();
  } catch (const DomainError& error) {
    findings.trust.push_back(
        {.kind = NoteKind::not_worked_out, .said = std::string(what) + ": " + error.what()});
  }
}

}  // namespace

std::vector<Finding> watched_so_far(const Design& design, const Evidence& evidence) {
  std::vector<Finding> all;
  if (design.rules.rounds_max == 0) return all;  // no looks are planned
  for (const auto id : design.metrics.ids())
    for (const bool twins : {false, true})
      if (design.metrics[id].demand.watched && design.metrics[id].is_judged())
        std::ranges::move(judge_family(evidence, id, twins, Stage::going, nullptr), std::back_inserter(all));
  return all;
}

Findings judge(const Design& design, const Evidence& evidence) {
  Findings findings{.design = design,
                    .state = evidence.campaign_state(),
                    .states = evidence.states(),
                    .provisional = !evidence.has_ended(),
                    .rounds = evidence.rounds()};
  const auto stage = evidence.has_ended() ? Stage::ended : Stage::going;
  for (const auto id : design.metrics.ids())
    for (const bool twins : {false, true}) {
      const auto& metric = design.metrics[id];
      if (!metric.is_judged()) continue;
      auto* notes = metric.demand.watched ? &findings.trust : nullptr;
      for (auto& finding : judge_family(evidence, id, twins, stage, notes))
        if (finding.rounds > 0) findings.findings.push_back(std::move(finding));
    }
  for (auto& finding : judge_unpaired(evidence)) findings.findings.push_back(std::move(finding));
  link_times(evidence, findings.findings);
  price_in_seconds(evidence, findings);
  see_what_suits_abreast(evidence, findings.findings);
  apply_ceilings(evidence, findings);
  attempt("how costs grow", findings, [&] { findings.trends = find_trends(evidence); });
  attempt("the overall change", findings, [&] { findings.overall = judge_overall(evidence, findings); });
  attempt("which are alike", findings, [&] { findings.groups = find_groups(evidence, findings); });
  attempt("turning points", findings, [&] { findings.turns = find_turns(evidence, findings); });
  findings.failures = judge_failures(evidence);
  attempt("how much values vary", findings, [&] { findings.spreads = judge_spreads(evidence); });
  findings.requirements = judge_requirements(evidence);
  const auto beside = [&](const auto& told) {
    return !stands_for_itself(design, findings.findings, told.metric);
  };
  std::erase_if(findings.trends, beside);
  std::erase_if(findings.overall, beside);
  std::erase_if(findings.groups, beside);
  std::erase_if(findings.turns, beside);
  std::erase_if(findings.spreads, beside);
  add_trust_notes(evidence, findings);
  attempt("what happens within trials", findings, [&] { look_within_trials(evidence, findings); });
  attempt("latencies of all requests", findings, [&] { findings.latencies = pooled_latencies(evidence); });
  attempt("the profile", findings, [&] { findings.profile = profile_of(evidence, findings.findings); });
  return findings;
}

Findings judge_record(const Record& record) {
  return judge(record.design, Evidence(record.design, record.log));
}

}  // namespace assay::inline v1::judge
