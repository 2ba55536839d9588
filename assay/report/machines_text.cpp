#include "assay/report/machines_text.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <vector>

#include "assay/judge/machines.hpp"
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

}  // namespace

bool machines_show_different_changes(const Finding& finding) {
  return finding.machines_disagree() ||
         std::ranges::count(finding.notes, NoteKind::machines_differ, &Note::kind) > 0;
}

std::string machines_text(const Findings& all, const Finding& finding) {
  const auto& machines = finding.machines;
  if (machines.size() < 2) return {};
  const auto& metric = all.metric_of(finding);
  const auto shown = [&](const MachineEffect& machine, bool is_first) {
    const auto range =
        machine.interval ? " (" + range_text(*machine.interval, metric.scale, metric.unit) + ")" : "";
    return fmt::format("{} on {}{}", effect_text(machine.effect, metric.unit), name_of(machine, is_first),
                       range);
  };
  auto shares = shares_text(machines, finding.rounds);
  if (machines_show_different_changes(finding)) {
    const auto [least, most] = judge::furthest_machines(finding);
    const auto range =
        shown(least, true) + (finding.machines_disagree() ? ", " : " to ") + shown(most, false);
    return (finding.machines_disagree() ? "the machines disagree: "
                                        : "not the same change on each machine: from ") +
           range + "; " + shares;
  }
  const bool grows = finding.effect.transformed() > 0;
  const bool all_alike = std::ranges::all_of(machines, [&](const MachineEffect& machine) {
    return grows ? machine.effect.transformed() > 0 : machine.effect.transformed() < 0;
  });
  if (!is_change(finding.verdict) || !all_alike) return shares;
  return shares + "; " + verdict_word(metric, finding.verdict) + " on each";
}

}  // namespace assay::report
