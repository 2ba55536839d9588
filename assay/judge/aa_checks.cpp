#include "assay/judge/aa_checks.hpp"

#include <algorithm>
#include <optional>

#include "assay/judge/paired_series.hpp"
#include "assay/judge/paired_test.hpp"
#include "assay/model/plan.hpp"

namespace assay::judge {
namespace {

bool is_called(const Observations& evidence, const Finding& f) {
  return evidence.design.is_twin(f.comparison.candidate) &&
         evidence.design.metrics[f.metric].request.watched &&
         (f.verdict == Verdict::better || f.verdict == Verdict::worse);
}

/// The pairs after those by which it was called, the first confirming_rounds of them.
PairedSeries count_fresh_pairs(const Observations& evidence, const Finding& f) {
  auto series = make_pairs(evidence, f.comparison, f.metric, values_by_cell(evidence.values(f.metric)));
  const auto first = std::min(f.decided_at_round, series.rounds.size());
  const auto count = std::min(static_cast<std::size_t>(confirming_rounds), series.rounds.size() - first);
  const auto cut = [&](auto& all, int values_a_round) {
    const auto from = all.begin() + static_cast<std::ptrdiff_t>(first) * values_a_round;
    all = {from, from + static_cast<std::ptrdiff_t>(count) * values_a_round};
  };
  cut(series.rounds, 1);
  cut(series.baseline, series.replication.baseline);
  cut(series.candidate, series.replication.candidate);
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

}  // namespace assay::judge
