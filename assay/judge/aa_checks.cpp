#include "assay/judge/aa_checks.hpp"

#include <algorithm>
#include <cmath>
#include <optional>
#include <tuple>

#include "assay/judge/paired_series.hpp"
#include "assay/judge/paired_test.hpp"
#include "assay/model/plan.hpp"
#include "assay/model/setting.hpp"

namespace assay::judge {

namespace {

bool is_called(const Observations& evidence, const Finding& f) {
  return evidence.design.is_twin(f.comparison.candidate) &&
         evidence.design.metrics[f.metric].request.watched && is_change(f.verdict);
}

/// The pairs after those by which it was called, the first confirming_rounds of them.
PairedSeries count_fresh_pairs(const Observations& evidence, const Finding& f) {
  auto series = make_pairs(evidence, f.comparison, f.metric);
  const auto first = std::min(f.decided_at_round, series.rounds.size());
  const auto count = std::min(static_cast<std::size_t>(confirming_rounds), series.rounds.size() - first);
  const auto cut = [&](auto& all, int values_a_round) {
    const auto from = all.begin() + static_cast<std::ptrdiff_t>(first) * values_a_round;
    all = {from, from + static_cast<std::ptrdiff_t>(count) * values_a_round};
  };
  cut(series.rounds, 1);
  cut(series.baseline, series.replication.baseline);
  cut(series.candidate, series.replication.candidate);
  if (!series.machines.empty()) cut(series.machines, 1);
  return series;
}

}  // namespace

std::set<Comparison> aa_to_confirm(const Observations& evidence, std::span<const Finding> findings) {
  std::set<Comparison> open;
  for (const auto& f : findings)
    if (is_called(evidence, f) && f.decided_at_round > 0 && evidence.is_ok(f.comparison) &&
        count_fresh_pairs(evidence, f).rounds.size() < static_cast<std::size_t>(confirming_rounds))
      open.insert(f.comparison);
  return open;
}

std::vector<Note> aa_notes(const Observations& evidence, std::span<const Finding> findings) {
  std::vector<Note> notes;
  for (const auto& f : findings) {
    if (!is_called(evidence, f)) continue;
    Note note{.kind = NoteKind::aa_difference,
              .subject = f.comparison.candidate,
              .level = Note::Level::warning,
              .metric = f.metric,
              .value = f.effect.change(),
              .threshold = f.margin,
              .effect = f.effect,
              .verdict = f.verdict};
    const auto& metric = evidence.design.metrics[f.metric];
    const auto fresh = f.decided_at_round > 0 ? count_fresh_pairs(evidence, f) : PairedSeries{};
    note.count = fresh.rounds.size();
    if (note.count < static_cast<std::size_t>(fewest_rounds) || !all_valid(fresh, metric.scale)) {
      if (f.decided_at_round > 0) {
        note.kind = NoteKind::aa_unconfirmed;
        note.level = Note::Level::note;
      }
    } else {
      const auto again =
          judge_paired(fresh.baseline, fresh.candidate,
                       {.metric = metric, .margin = f.margin, .replication = fresh.replication});
      if (again.verdict != f.verdict) {
        note.kind = NoteKind::aa_chance;
        note.level = Note::Level::note;
      }
      note.value = again.effect.value;
      note.low = again.interval.low;
      note.high = again.interval.high;
    }
    notes.push_back(std::move(note));
  }
  return notes;
}

namespace {

using Key = std::tuple<std::string, std::string, std::string, std::string, std::string>;

Key key_of(const Findings& all, const Finding& f) {
  const auto& cell = all.candidate_cell(f);
  return {all.candidate(cell).name, all.candidate(all.baseline_cell(f)).name, all.workload(cell).name,
          cell.setting.text(), all.metric_of(f).name};
}

bool watched(const Findings& all, const Finding& f) { return all.metric_of(f).request.watched; }
bool is_twin(const Findings& all, const Finding& f) {
  return all.candidate(all.candidate_cell(f)).twin_of.has_value();
}

const Finding* find_matching(const Findings& other, const Key& key) {
  const auto found =
      std::ranges::find_if(other.findings, [&](const Finding& f) { return key_of(other, f) == key; });
  return found == other.findings.end() ? nullptr : &*found;
}

bool within_aa_noise(const Findings& all, const Finding& f) {
  return std::ranges::any_of(all.findings, [&](const Finding& twin) {
    return is_twin(all, twin) && twin.metric == f.metric && !all.metric_of(f).exact &&
           f.effect.distance() <= twin.effect.distance();
  });
}

std::optional<Surprise> against_others(const Findings& all, const Finding& f) {
  Surprise surprise{.reason = Surprise::Reason::against_others};
  for (const auto& other : all.findings) {
    if (&other == &f || other.metric != f.metric || !is_change(other.verdict) ||
        all.candidate_cell(other).candidate != all.candidate_cell(f).candidate)
      continue;
    ++surprise.others;
    surprise.opposite += other.verdict != f.verdict ? 1U : 0U;
  }
  if (surprise.others < 3 || 3 * surprise.opposite < 2 * surprise.others) return {};
  return surprise;
}

std::optional<Surprise> against_earlier(const Findings& all, const Finding& f, const Findings* earlier) {
  const auto* before = earlier == nullptr ? nullptr : find_matching(*earlier, key_of(all, f));
  if (before == nullptr || before->verdict == Verdict::unclear || before->verdict == f.verdict) return {};
  return Surprise{.reason = Surprise::Reason::against_earlier, .before = before->verdict};
}

}  // namespace

std::vector<Surprise> find_surprises(const Findings& all, const Findings* earlier) {
  std::vector<Surprise> found;
  for (std::size_t i = 0; i < all.findings.size(); ++i) {
    const auto& f = all.findings[i];
    if (!watched(all, f) || is_twin(all, f) || !is_change(f.verdict)) continue;
    auto surprise = within_aa_noise(all, f) ? std::optional(Surprise{}) : against_others(all, f);
    if (!surprise) surprise = against_earlier(all, f, earlier);
    if (!surprise) continue;
    surprise->finding = i;
    found.push_back(*surprise);
  }
  return found;
}

std::vector<Confirmation> compare_confirmation(const Findings& before, const Findings& now) {
  using Status = Confirmation::Status;
  std::vector<Confirmation> all;
  for (const auto& f : now.findings) {
    if (!watched(now, f) || is_twin(now, f)) continue;
    const auto* was = find_matching(before, key_of(now, f));
    if (was == nullptr) continue;
    const auto& cell = now.candidate_cell(f);
    const auto setting = cell.setting.text();
    Confirmation c{.candidate = now.candidate(cell).name,
                   .baseline = now.candidate(now.baseline_cell(f)).name,
                   .cell = now.workload(cell).name + (setting.empty() ? "" : ", " + setting),
                   .metric = now.metric_of(f).name,
                   .before = was->verdict,
                   .now = f.verdict,
                   .effect_before = was->effect,
                   .effect_now = f.effect,
                   .unit = now.metric_of(f).unit};
    c.status = c.now == Verdict::unclear      ? Status::unclear
               : c.before == Verdict::unclear ? Status::decided
               : c.before == c.now            ? Status::confirmed
                                              : Status::refuted;
    all.push_back(std::move(c));
  }
  return all;
}

}  // namespace assay::judge
