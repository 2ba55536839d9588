#include <algorithm>
#include <map>
#include <utility>
#include <vector>

#include "assay/setup/prepare.hpp"

namespace assay::setup {
namespace {

/// Numbers of groups by program: those that comparisons compare with each other, however many steps apart,
/// are in one.
std::map<std::string, int> groups_of(const Design& design,
                                     const IdTable<CellId, runners::ProgramCell>& cells) {
  std::map<std::string, int> group;
  for (const auto& cell : cells) group.try_emplace(cell.program, static_cast<int>(group.size()));
  for (const auto& comparison : design.comparisons) {
    const int from = group.at(cells[comparison.candidate].program),
              to = group.at(cells[comparison.baseline].program);
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

std::unique_ptr<relink::LayoutSet> prepare_layouts(const Plan& plan,
                                                   const IdTable<CellId, runners::ProgramCell>& cells,
                                                   Design& design, measure::Launcher& launcher,
                                                   const std::function<void(const std::string&)>& log,
                                                   const std::stop_token& stop) {
  std::vector<relink::LayoutSet::Program> programs;
  const auto group = groups_of(design, cells);
  std::map<std::pair<CandidateId, std::string>, std::vector<std::string>> of_build;  // by candidate, setting
  for (const auto cell : design.cells.ids()) {
    const auto& what = cells[cell];
    if (what.relink.empty() || design.is_twin(cell)) continue;
    of_build[{design.cells[cell].candidate, what.built_for}].push_back(what.program);
    programs.push_back({.candidate = design.candidate_of(cell).name,
                        .program = what.program,
                        .folder = what.relink,
                        .group = group.at(what.program)});
  }
  auto layouts = std::make_unique<relink::LayoutSet>(
      std::move(programs),
      relink::LayoutSet::Rule{
          .count = layouts_asked(plan), .seed = design.rules.seed, .keeps = plan.seed.has_value()},
      launcher, log, stop);
  if (layouts->any()) design.rules.layouts = layouts_asked(plan);
  for (auto& facts : design.builds)
    for (const auto& program : of_build[{facts.candidate, facts.setting}]) {
      const auto status = layouts->status(program);
      facts.layouts = status.layouts;
      facts.layout_method = status.how;
      if (status.layouts > 0) break;
    }
  return layouts;
}

}  // namespace assay::setup
