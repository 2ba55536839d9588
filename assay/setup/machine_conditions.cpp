#include "assay/setup/machine_conditions.hpp"

#include <algorithm>
#include <cmath>
#include <thread>

#include "assay/judge/paired_test.hpp"
#include "assay/measure/machine.hpp"
#include "assay/measure/noise.hpp"
#include "assay/measure/system_load.hpp"
#include "assay/metrics/catalogue.hpp"
#include "assay/model/error.hpp"
#include "assay/runners/capabilities.hpp"
#include "assay/schedule/forecast.hpp"
#include "assay/stats/location.hpp"

namespace assay::setup {
namespace {

/// What a duel of a minute settles, on the cautious side of what the few pairs leave open: of two times that
/// share its error rate, in as many rounds as fit.
std::optional<double> rounds_in_a_minute(const std::vector<double>& effects, double round_seconds) {
  const auto rounds = static_cast<std::size_t>(60 / round_seconds);
  try {
    const auto change = schedule::smallest_change(effects, rounds,
                                                  {.alpha = judge::error_rate * judge::share_of_typical / 2});
    return change ? std::optional(std::expm1(change->high)) : std::nullopt;
  } catch (const Error&) {
    return {};  // too few pairs, or all alike
  }
}

std::optional<double> spread(const std::vector<double>& effects) {
  if (effects.size() < 3) return {};
  return stats::median_absolute_deviation(effects);
}

NoiseLevel row_of(const measure::NoiseSample& noise) {
  NoiseLevel row{.seconds = noise.seconds,
                 .process = noise.process,
                 .in_turns = spread(noise.turns),
                 .abreast = spread(noise.abreast)};
  if (noise.process) {
    row.rounds_in_turns = rounds_in_a_minute(noise.turns, 2 * noise.seconds);
    row.rounds_abreast = rounds_in_a_minute(noise.abreast, 2 * noise.seconds);
  }
  return row;
}

/// The metrics that can't be had, those with one reason together.
std::vector<MachineFact> missing_here(measure::Launcher& launcher) {
  std::vector<MachineFact> missing;
  for (const auto& metric : runners::select_metrics(Plan{.workloads = {{.name = "any"}}},
                                                    runners::detect_capabilities(launcher))) {
    const auto& why = metric.request.missing;
    if (why.empty()) continue;
    const auto* row = metrics::find_metric_info(metric.name);
    const auto known = std::ranges::find(missing, why, &MachineFact::value);
    if (known == missing.end())
      missing.push_back(
          {row != nullptr && row->needs == metrics::Needs::counters ? "hardware counters" : metric.name,
           why});
  }
  return missing;
}

void probe_into(Conditions& found, measure::Launcher& launcher, const measure::LoadMonitor& watch,
                const std::stop_token& stop, const std::function<void(int, int)>& on_probe) {
  const auto before = watch.now();
  const auto noise = measure::probe_noise(launcher, stop, on_probe);
  const auto after = watch.now();
  double cpu = 0;
  for (const auto& at : noise) cpu += at.cpu;
  const auto beside = measure::difference(before, after, cpu);
  const double time = (after.monotonic - before.monotonic) * std::thread::hardware_concurrency();
  if (beside.steal) found.steal = *beside.steal / time;
  if (beside.other_load) found.other_load = *beside.other_load / time;
  for (const auto& at : noise) found.noise.push_back(row_of(at));
}

}  // namespace

Conditions assess_machine(bool probe, const std::stop_token& stop,
                          const std::function<void(int, int)>& on_probe) {
  measure::Launcher launcher;
  const measure::LoadMonitor watch;
  Conditions found{.facts = measure::machine_facts()};
  found.launch_cost = measure::launch_cost(launcher);
  const auto clock = measure::clock_cost();
  found.clock_resolution = clock.resolution;
  found.clock_overhead = clock.overhead;
  found.unavailable = missing_here(launcher);
  const auto now = watch.now();
  found.load = now.load;
  found.on_battery = now.on_battery;
  if (probe) probe_into(found, launcher, watch, stop, on_probe);
  return found;
}

}  // namespace assay::setup
