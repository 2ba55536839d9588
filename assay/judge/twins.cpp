#include "assay/judge/twins.hpp"

#include <algorithm>
#include <optional>

#include "assay/judge/paired.hpp"
#include "assay/judge/pairs.hpp"
#include "assay/model/plan.hpp"

namespace assay::inline v1::judge {
namespace {

bool is_called(const Evidence& evidence, const Finding& f) {
  return evidence.design.is_twin(f.of.candidate) && evidence.design.metrics[f.metric].demand.watched &&
         (f.verdict == Verdict::better || f.verdict == Verdict::worse);
}

/// The pairs after those by which it was called, the first confirming_rounds of them.
PairedSeries fresh_pairs(const Evidence& evidence, const Finding& f) {
  auto series = pair_up(evidence, f.of, f.metric, by_cell(evidence.values(f.metric)));
  const auto first = std::min(f.settled_at, series.rounds.size());
  const auto count = std::min(static_cast<std::size_t>(confirming_rounds), series.rounds.size() - first);
  const auto cut = [&](auto& all, int values_a_round) {
    const auto from = all.begin() + static_cast<std::ptrdiff_t>(first) * values_a_round;
    all = {from, from + static_cast<std::ptrdiff_t>(count) * values_a_round};
  };
  cut(series.rounds, 1);
  cut(series.baseline, series.repeats.baseline);
  cut(series.candidate, series.repeats.candidate);
  return series;
}

}  // namespace

std::set<Contrast> twins_to_confirm(const Evidence& evidence, std::span<const Finding> findings) {
  std::set<Contrast> open;
  for (const auto& f : findings)
    if (is_called(evidence, f) && f.settled_at > 0 && evidence.is_sound(f.of) &&
        fresh_pairs(evidence, f).rounds.size() < static_cast<std::size_t>(confirming_rounds))
      open.insert(f.of);
  return open;
}

std::vector<Note> notes_on_twins(const Evidence& evidence, std::span<const Finding> findings) {
  std::vector<Note> notes;
  for (const auto& f : findings) {
    if (!is_called(evidence, f)) continue;
    Note note{.kind = NoteKind::twin_called,
              .subject = f.of.candidate,
              .level = Note::Level::warning,
              .metric = f.metric,
              .figure = f.effect.change(),
              .threshold = f.margin,
              .effect = f.effect,
              .verdict = f.verdict};
    const auto& metric = evidence.design.metrics[f.metric];
    const auto fresh = f.settled_at > 0 ? fresh_pairs(evidence, f) : PairedSeries{};
    note.count = fresh.rounds.size();
    if (note.count < static_cast<std::size_t>(fewest_rounds) || !all_fit(fresh, metric.scale)) {
      if (f.settled_at > 0) {
        note.kind = NoteKind::twin_once;
        note.level = Note::Level::note;
      }
    } else {
      const auto again = judge_paired(fresh.baseline, fresh.candidate,
                                      {.metric = metric, .margin = f.margin, .repeats = fresh.repeats});
      if (again.verdict != f.verdict) {
        note.kind = NoteKind::twin_by_chance;
        note.level = Note::Level::note;
      }
      note.figure = again.effect.value;
      note.low = again.interval.low;
      note.high = again.interval.high;
    }
    notes.push_back(std::move(note));
  }
  return notes;
}

}  // namespace assay::inline v1::judge
