#include "assay/report/sustained.hpp"

#include <algorithm>
#include <map>
#include <set>
#include <utility>

#include "assay/report/names.hpp"

namespace assay::report {
namespace {

/// Each candidate's levels, ascending, and whether the rate was sustained there.
using Levels = std::map<CandidateId, std::map<double, bool>>;

std::string limit_of(const std::map<double, bool>& levels) {
  std::string last;
  for (const auto& [level, sustained] : levels) {
    if (!sustained) return last.empty() ? "not even " + to_string(Level{level}) : "up to " + last;
    last = to_string(Level{level});
  }
  return "up to " + last + ", the highest";
}

}  // namespace

std::vector<std::string> sustained_lines(const Findings& all) {
  const auto& design = all.design;
  std::set<CellId> not_sustained;
  constexpr double now_and_then = 0.1;  // of the rounds
  for (const auto& note : all.notes)
    if (note.kind == NoteKind::rate_not_sustained &&
        static_cast<double>(note.count) > now_and_then * note.high)
      not_sustained.insert(std::get<CellId>(note.subject));
  std::vector<std::string> lines;
  for (const auto& factor : design.factors) {
    std::map<std::pair<WorkloadId, std::string>, std::pair<Setting, Levels>> places;
    for (const auto id : design.cells.ids()) {
      const auto& cell = design.cells[id];
      auto others = cell.setting;
      const auto level = others.levels.extract(factor.name);
      if (level.empty() || design.is_twin(id) || !all.statuses[id].is_ok()) continue;
      if (const auto at = number_of(level.mapped())) {
        auto& place = places[{cell.workload, others.text()}];
        place.first = others;
        place.second[cell.candidate][*at] = !not_sustained.contains(id);
      }
    }
    for (const auto& [key, place] : places) {
      const auto& levels = place.second;
      const auto all_hold = [](const auto& its) {
        return std::ranges::all_of(its.second, [](const auto& at) { return at.second; });
      };
      if (std::ranges::all_of(levels, all_hold)) continue;
      const auto where = place_label(design, {.workload = key.first, .setting = place.first});
      std::string text;
      for (const auto& [candidate, its] : levels)
        text += (text.empty() ? "" : "; ") + design.candidates[candidate].name + " " + limit_of(its);
      lines.push_back("sustained over " + factor.name + (where.empty() ? "" : " (" + where + ")") + ": " +
                      text);
    }
  }
  return lines;
}

}  // namespace assay::report
