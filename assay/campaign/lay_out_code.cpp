#include "assay/campaign/lay_out_code.hpp"

#include <algorithm>
#include <map>
#include <utility>
#include <vector>

namespace assay::inline v1::campaign {
namespace {

/// Numbers of groups by program: those that contrasts hold against each other, however many steps apart, are
/// in one.
std::map<std::string, int> groups_of(const Design& design, const Table<CellId, ProcessCell>& cells) {
  std::map<std::string, int> group;
  for (const auto& cell : cells) group.try_emplace(cell.program, static_cast<int>(group.size()));
  for (const auto& contrast : design.contrasts) {
    const int from = group.at(cells[contrast.candidate].program),
              to = group.at(cells[contrast.baseline].program);
    for (auto& [program, number] : group)
      if (number == from) number = to;
  }
  return group;
}

int layouts_asked(const Plan& plan) {
  constexpr int most = 32;
  int asked = 0;
  for (const auto& candidate : plan.candidates) {
    const int relink = candidate.build.relink;
    const bool is_built = !candidate.build.steps.empty();
    if (is_built)
      asked = std::max(asked, relink == Build::relink_for_rounds ? std::min(plan.rounds.max, most) : relink);
  }
  return asked;
}

}  // namespace

std::unique_ptr<Layouts> lay_out_code(const Plan& plan, const Workshop& workshop,
                                      const Table<CellId, ProcessCell>& cells, Design& design,
                                      measure::Launcher& launcher,
                                      const std::function<void(const std::string&)>& say,
                                      const std::stop_token& stop) {
  const int count = layouts_asked(plan);
  std::vector<Layouts::Program> programs;
  const auto group = groups_of(design, cells);
  const auto built = [&](CellId cell) {
    const auto& what = design.cells[cell];
    return design.is_twin(cell) ? nullptr : workshop.built(what.candidate, what.setting);
  };
  for (const auto cell : design.cells.ids()) {
    const auto* build = count > 0 ? built(cell) : nullptr;
    if (build != nullptr && build->ok && !build->relink.empty() && !cells[cell].program.empty())
      programs.push_back({.candidate = design.candidate_of(cell).name,
                          .program = cells[cell].program,
                          .folder = build->relink,
                          .group = group.at(cells[cell].program)});
  }
  auto layouts = std::make_unique<Layouts>(
      std::move(programs),
      Layouts::Rule{.count = count, .seed = design.rules.seed, .keeps = plan.seed.has_value()}, launcher, say,
      stop);
  if (layouts->any()) design.rules.layouts = count;
  for (auto& facts : design.builds)
    for (const auto cell : design.cells.ids()) {
      const auto* build = built(cell);
      if (count == 0 || build == nullptr || build->relink.empty() ||
          design.cells[cell].candidate != facts.candidate ||
          design.cells[cell].setting.text() != facts.setting || facts.layouts > 0 ||
          cells[cell].program.empty())
        continue;
      const auto told = layouts->told(cells[cell].program);
      facts.layouts = told.layouts;
      facts.layout = told.how;
    }
  return layouts;
}

}  // namespace assay::inline v1::campaign
