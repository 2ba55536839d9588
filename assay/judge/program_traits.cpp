#include "assay/judge/program_traits.hpp"

#include <algorithm>
#include <optional>
#include <vector>

#include "assay/metrics/catalogue.hpp"
#include "assay/stats/location.hpp"

namespace assay::judge {

using metrics::MetricKind;
using From = Observations::Source;

namespace {

std::map<CellId, std::vector<double>> early_values(const Observations& evidence, MetricKind kind) {
  std::map<CellId, std::vector<double>> all;
  const auto metric = metrics::find(evidence.design.metrics, kind);
  if (!metric) return all;
  for (const auto from : {From::checked, From::warm_up, From::pilot}) {
    const auto& column = evidence.values(*metric, from);
    for (std::size_t i = 0; i < column.size(); ++i)
      if (from == From::checked || column.position[i] >= 0) all[column.cell[i]].push_back(column.value[i]);
  }
  return all;
}

}  // namespace

std::map<CellId, ProgramTraits> program_traits(const Observations& evidence) {
  const auto wall = early_values(evidence, MetricKind::wall_time),
             cpu = early_values(evidence, MetricKind::cpu_time),
             core = early_values(evidence, MetricKind::core_wait),
             memory = early_values(evidence, MetricKind::peak_memory);
  std::map<CellId, ProgramTraits> programs;
  for (const auto& [cell, walls] : wall) {
    const auto cpus = cpu.find(cell);
    if (cpus == cpu.end() || cpus->second.size() != walls.size()) continue;
    const auto waits = core.find(cell);
    const bool waits_known = waits != core.end() && waits->second.size() == walls.size();
    std::vector<double> busy, cores;
    for (std::size_t i = 0; i < walls.size(); ++i) {
      if (!(walls[i] > 0)) continue;
      cores.push_back(cpus->second[i] / walls[i]);
      busy.push_back((cpus->second[i] + (waits_known ? waits->second[i] : 0)) / walls[i]);
    }
    if (busy.empty()) continue;
    const auto peaks = memory.find(cell);
    // A launcher that gets its own core late makes a trial look as if it had waited: most trials may.
    constexpr double upper = 0.75;
    programs[cell] = {.busy = stats::quantile(busy, upper),
                      .cores = stats::median(cores),
                      .wall = *std::ranges::min_element(walls),
                      .peak_memory = peaks == memory.end() ? 0 : *std::ranges::max_element(peaks->second)};
  }
  return programs;
}

}  // namespace assay::judge
