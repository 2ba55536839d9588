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
             stolen = early_values(evidence, MetricKind::stolen_time),
             memory = early_values(evidence, MetricKind::peak_memory);
  std::map<CellId, ProgramTraits> programs;
  for (const auto& [cell, walls] : wall) {
    const auto cpus = cpu.find(cell);
    if (cpus == cpu.end() || cpus->second.size() != walls.size()) continue;
    const auto at = [&id = cell, count = walls.size()](const std::map<CellId, std::vector<double>>& values,
                                                       std::size_t i) {
      const auto found = values.find(id);
      return found == values.end() || found->second.size() != count ? 0.0 : found->second[i];
    };
    std::vector<double> busy, cores, waits;
    for (std::size_t i = 0; i < walls.size(); ++i) {
      if (!(walls[i] > 0)) continue;
      cores.push_back(cpus->second[i] / walls[i]);
      waits.push_back(at(core, i) / walls[i]);
      busy.push_back((cpus->second[i] + at(core, i) + at(stolen, i)) / walls[i]);
    }
    if (busy.empty()) continue;
    const auto peaks = memory.find(cell);
    // A launcher that gets its own core late makes a trial look as if it had waited: most trials may.
    constexpr double upper = 0.75;
    programs[cell] = {.busy = stats::quantile(busy, upper),
                      .cores = stats::median(cores),
                      .core_wait = stats::median(waits),
                      .wall = *std::ranges::min_element(walls),
                      .peak_memory = peaks == memory.end() ? 0 : *std::ranges::max_element(peaks->second)};
  }
  return programs;
}

}  // namespace assay::judge
