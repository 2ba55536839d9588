#include "assay/report/machines_text.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <utility>
#include <vector>

#include "assay/report/format.hpp"

namespace assay::report {
namespace {

using Machines = std::vector<MachineEffect>;

/// "machine 1", and after the first "2".
std::string name_of(const MachineEffect& machine, bool is_first) {
  return fmt::format("{}{}", is_first ? "machine " : "", machine.machine);
}

std::string shares_text(const Machines& machines, std::size_t rounds) {
  constexpr std::size_t few = 6;
  auto text = fmt::format("{} rounds: ", rounds);
  if (machines.size() > few) {
    const auto [least, most] = std::ranges::minmax(machines, {}, &MachineEffect::rounds);
    return text + fmt::format("{} to {} on each of {} machines", least.rounds, most.rounds, machines.size());
  }
  for (std::size_t i = 0; i < machines.size(); ++i)
    text += fmt::format("{}{} on {}", i == 0 ? "" : ", ", machines[i].rounds, name_of(machines[i], i == 0));
  return text;
}

/// The machines with the least and the most, of several with one value the first.
std::pair<MachineEffect, MachineEffect> furthest(const Machines& machines) {
  const auto [least, most] =
      std::ranges::minmax_element(machines, {}, [](const MachineEffect& m) { return m.effect.value; });
  return {*least, *most};
}

}  // namespace

std::string machines_text(const Findings& all, const Finding& finding) {
  const auto& machines = finding.machines;
  if (machines.size() < 2) return {};
  const auto& metric = all.metric_of(finding);
  const auto [least, most] = furthest(machines);
  const auto shown = [&](const MachineEffect& machine, bool is_first) {
    const auto range =
        machine.interval ? " (" + range_text(*machine.interval, metric.scale, metric.unit) + ")" : "";
    return fmt::format("{} on {}{}", effect_text(machine.effect, metric.unit), name_of(machine, is_first),
                       range);
  };
  auto shares = shares_text(machines, finding.rounds);
  if (finding.machines_disagree())
    return fmt::format("the machines disagree: {}, {}; {}", shown(least, true), shown(most, false), shares);
  if (std::ranges::count(finding.notes, NoteKind::machines_differ, &Note::kind) > 0)
    return fmt::format("not the same change on each machine: from {} to {}; {}", shown(least, true),
                       shown(most, false), shares);
  const bool grows = finding.effect.transformed() > 0;
  const bool all_alike = std::ranges::all_of(machines, [&](const MachineEffect& machine) {
    return grows ? machine.effect.transformed() > 0 : machine.effect.transformed() < 0;
  });
  if (!is_change(finding.verdict) || !all_alike) return shares;
  return shares + "; " + verdict_word(metric, finding.verdict) + " on each";
}

}  // namespace assay::report
