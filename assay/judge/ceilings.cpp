#include "assay/judge/ceilings.hpp"

#include <algorithm>
#include <cmath>
#include <set>

namespace assay::inline v1::judge {
namespace {

constexpr double near_ceiling = 0.01;

/// Where a metric's values lie beyond its ceiling: the furthest of them, and in how many cells.
void tell_of_values_beyond(const Evidence& evidence, MetricId id, Findings& findings) {
  const auto& metric = evidence.design.metrics[id];
  const double ceiling = *metric.demand.ceiling;
  const double side = metric.prefer == Prefer::lower ? -1 : 1;
  Note note{
      .kind = NoteKind::beyond_ceiling, .level = Note::Level::warning, .metric = id, .threshold = ceiling};
  std::set<CellId> cells;
  const auto& column = evidence.values(id);
  for (std::size_t i = 0; i < column.size(); ++i) {
    if (!(side * (column.value[i] - ceiling) > near_ceiling * std::abs(ceiling))) continue;
    cells.insert(column.cell[i]);
    if (note.figure && side * (column.value[i] - *note.figure) <= 0) continue;
    note.figure = column.value[i];
    note.subject = column.cell[i];
  }
  note.count = cells.size();
  if (note.figure) findings.trust.push_back(std::move(note));
}

}  // namespace

void apply_ceilings(const Evidence& evidence, Findings& findings) {
  for (auto& f : findings.findings) {
    const auto ceiling = evidence.design.metrics[f.metric].demand.ceiling;
    if (!ceiling || *ceiling == 0) continue;
    const auto note_if_there = [&](CellId cell, double typical) {
      if (std::abs(typical / *ceiling - 1) > near_ceiling) return false;
      f.notes.push_back({.kind = NoteKind::at_ceiling,
                         .subject = cell,
                         .level = Note::Level::warning,
                         .metric = f.metric,
                         .figure = typical,
                         .threshold = *ceiling});
      return true;
    };
    const bool its = note_if_there(f.of.baseline, f.baseline_typical);
    const bool mine = note_if_there(f.of.candidate, f.candidate_typical);
    if (!its || !mine) continue;
    f.verdict = Verdict::unclear;
    f.to_settle = Price{.obstacle = Price::Obstacle::ceiling};
  }
  for (const auto id : evidence.design.metrics.ids())
    if (const auto ceiling = evidence.design.metrics[id].demand.ceiling; ceiling && *ceiling != 0)
      tell_of_values_beyond(evidence, id, findings);
}

}  // namespace assay::inline v1::judge
