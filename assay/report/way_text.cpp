#include "assay/report/way_text.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <utility>

#include "assay/report/format.hpp"

namespace assay::report {

namespace {

std::string how(const WayChoice& choice) {
  const auto in_turns = [](const std::string& why) { return "run in turns: " + why; };
  switch (choice.reason) {
    case WayReason::asked:
    case WayReason::steadier:
      break;
    case WayReason::busy:
      return "run abreast on one core, compared by CPU time: other programs want the cores, and there "
             "is no time to try both ways (--turns: one after the other, by wall time)";
    case WayReason::waits:
      return in_turns("not all of their time is spent running");
    case WayReason::unlike_costs:
      return in_turns("one takes several times as long as another");
    case WayReason::writes:
      return in_turns(
          "they write files, and at once could meet in one (fresh = true gives each trial a folder)");
    case WayReason::memory:
      return in_turns("together they need more memory than is free");
    case WayReason::no_time:
      return in_turns("trying other ways would take more than a quarter of the time");
    case WayReason::fails_at_once:
      return in_turns("at once one of them fails, or can't be stopped with all its processes");
    case WayReason::disagrees:
      return in_turns("at once they get in each other's way and compare otherwise");
    case WayReason::no_gain:
      return in_turns("other ways are no steadier here");
  }
  if (choice.way == Way::abreast)
    return "run abreast on one core, compared by CPU time (--turns: one after the other, by wall time)";
  if (choice.way == Way::slices)
    return "run in slices of up to 20 ms, compared by the sum of their slices (--turns: one after the other)";
  return "run in turns, as before";
}

std::string wall_text(const Design& design, const std::map<CellId, double>& seconds) {
  constexpr std::size_t few = 4;
  if (seconds.empty() || seconds.size() > few) return {};
  std::string text;
  for (const auto& [cell, typical] : seconds)
    if (!design.is_twin(cell))
      text += (text.empty() ? "" : ", ") + design.candidate_of(cell).name + " " + value_text(typical, "s");
  return "; wall times in turns: " + text;
}

}  // namespace

std::vector<std::string> way_lines(const Design& design, const std::vector<WayChoice>& ways,
                                   const std::map<CellId, double>& wall_in_turns) {
  std::vector<std::pair<std::string, std::vector<std::string>>> groups;
  for (const auto& choice : ways) {
    const auto text = how(choice);
    auto group = std::ranges::find(groups, text, [](const auto& one) { return one.first; });
    if (group == groups.end()) group = groups.insert(groups.end(), {text, {}});
    group->second.push_back(design.workloads[choice.workload].name);
  }
  std::vector<std::string> lines;
  constexpr std::size_t most_named = 3;
  for (const auto& [text, workloads] : groups) {
    std::string where;
    for (std::size_t i = 0; i < std::min(workloads.size(), most_named); ++i)
      where += (where.empty() ? "" : ", ") + workloads[i];
    if (workloads.size() > most_named) where += fmt::format(" and {} more", workloads.size() - most_named);
    lines.push_back((groups.size() > 1 ? where + ": " : "") + text +
                    (groups.size() == 1 ? wall_text(design, wall_in_turns) : ""));
  }
  return lines;
}

}  // namespace assay::report
