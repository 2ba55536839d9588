#include "assay/judge/saturation.hpp"

#include <algorithm>
#include <cmath>
#include <set>

namespace assay::judge {
namespace {

constexpr double near_ceiling = 0.01;

/// Where a metric's values lie beyond its ceiling: the furthest of them, and in how many cells.
void note_values_beyond(const Observations& evidence, MetricId id, Findings& findings) {
  const auto& metric = evidence.design.metrics[id];
  const double ceiling = *metric.request.ceiling;
  const double side = metric.direction == Direction::lower ? -1 : 1;
  Note note{
      .kind = NoteKind::beyond_saturation, .level = Note::Level::warning, .metric = id, .threshold = ceiling};
  std::set<CellId> cells;
  const auto& column = evidence.values(id);
  for (std::size_t i = 0; i < column.size(); ++i) {
    if (!(side * (column.value[i] - ceiling) > near_ceiling * std::abs(ceiling))) continue;
    cells.insert(column.cell[i]);
    if (note.value && side * (column.value[i] - *note.value) <= 0) continue;
    note.value = column.value[i];
    note.subject = column.cell[i];
  }
  note.count = cells.size();
  if (note.value) findings.notes.push_back(std::move(note));
}

}  // namespace

void apply_saturation(const Observations& evidence, Findings& findings) {
  for (auto& f : findings.findings) {
    const auto ceiling = evidence.design.metrics[f.metric].request.ceiling;
    if (!ceiling || *ceiling == 0) continue;
    const auto note_if_there = [&](CellId cell, double typical) {
      if (std::abs(typical / *ceiling - 1) > near_ceiling) return false;
      f.notes.push_back({.kind = NoteKind::at_saturation,
                         .subject = cell,
                         .level = Note::Level::warning,
                         .metric = f.metric,
                         .value = typical,
                         .threshold = *ceiling});
      return true;
    };
    const bool its = note_if_there(f.comparison.baseline, f.baseline_typical);
    const bool mine = note_if_there(f.comparison.candidate, f.candidate_typical);
    if (!its || !mine) continue;
    f.verdict = Verdict::unclear;
    f.rounds_to_decide = RoundsToDecide{.obstacle = RoundsToDecide::Obstacle::saturation};
  }
  for (const auto id : evidence.design.metrics.ids())
    if (const auto ceiling = evidence.design.metrics[id].request.ceiling; ceiling && *ceiling != 0)
      note_values_beyond(evidence, id, findings);
}

}  // namespace assay::judge
