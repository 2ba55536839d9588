#include <fmt/format.h>

#include <algorithm>

#include "assay/model/enum_names.hpp"
#include "assay/report/format.hpp"
#include "assay/report/note_text.hpp"
#include "assay/report/sentence.hpp"

namespace assay::report {
namespace {

/// What its fresh rounds gave: "−0.1 % (−0.9 … +0.6)".
std::string again_text(const Note& note) {
  const auto scale = note.effect ? note.effect->scale : Scale::ratio;
  return effect_text({scale, note.value.value_or(0)}, {}) + " (" +
         range_text({.low = note.low, .high = note.high}, scale, {}) + ")";
}

}  // namespace

std::string twin_text(const Note& note, const std::string& metric) {
  const auto called =
      metric + " of this copy of the baseline was called " + to_string(note.verdict) +
      (note.effect && note.effect->is_ratio() ? " (" + percent_change(note.effect->change()) + ")" : "");
  if (note.kind == NoteKind::aa_chance)
    return called + ", as one in twenty is by chance; measured again in " +
           fmt::format("{} fresh rounds: ", note.count) + again_text(note);
  if (note.kind == NoteKind::aa_unconfirmed)
    return called + ", as one in twenty is by chance; there was no time to measure it again";
  return called +
         (note.count > 0 ? fmt::format(" again in {} fresh rounds (", note.count) + again_text(note) + ")"
                         : std::string{}) +
         ": distrust changes of that size here";
}

std::string bad_twin_text(const Findings& all) {
  const auto confirmed = [&](const Finding& f) {
    return std::ranges::any_of(all.notes, [&](const Note& note) {
      return note.kind == NoteKind::aa_difference && note.subject == Subject(f.comparison.candidate) &&
             note.metric == f.metric;
    });
  };
  for (const auto& f : all.findings) {
    if (!all.design.is_twin(f.comparison.candidate) || !confirmed(f)) continue;
    const auto& metric = all.metric_of(f);
    const auto where = cell_text(all, all.candidate_cell(f));
    return fmt::format("a mere copy of {}{} was called {} ({} {}); distrust changes of that size here",
                       all.candidate(all.baseline_cell(f)).name, where.empty() ? "" : " on " + where,
                       to_string(f.verdict), metric.name, effect_text(f.effect, metric.unit));
  }
  return {};
}

}  // namespace assay::report
