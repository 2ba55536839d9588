#include "assay/render/conditions.hpp"

#include <unistd.h>

#include <CLI/CLI.hpp>
#include <chrono>
#include <cmath>
#include <iostream>
#include <memory>
#include <thread>

#include "assay/campaign/offer.hpp"
#include "assay/cli/command.hpp"
#include "assay/measure/machine.hpp"
#include "assay/measure/noise.hpp"
#include "assay/measure/surroundings.hpp"
#include "assay/metrics/catalogue.hpp"
#include "assay/model/error.hpp"
#include "assay/program/stopping.hpp"
#include "assay/schedule/forecast.hpp"
#include "assay/stats/location.hpp"

namespace assay::cli {
namespace {

constexpr const char* conditions_examples =
    R"(  assay conditions           facts, a ten-second probe of the noise, and advice
  assay conditions --quick   without the probe
  assay conditions --json    the same for programs)";

/// What a duel of a minute settles, on the cautious side of what the few pairs leave open: rounds as many as
/// fit, at most a duel's sixty.
std::optional<double> settled_in_a_minute(const std::vector<double>& effects, double round_seconds) {
  const auto rounds = static_cast<std::size_t>(std::min(60.0, 60 / round_seconds));
  try {
    const auto change = schedule::smallest_change(effects, rounds);
    return change ? std::optional(std::expm1(change->high)) : std::nullopt;
  } catch (const Error&) {
    return {};  // too few pairs, or all alike
  }
}

std::optional<double> spread(const std::vector<double>& effects) {
  if (effects.size() < 3) return {};
  return stats::median_absolute_deviation(effects);
}

render::SteadinessRow row_of(const measure::NoiseAt& noise) {
  render::SteadinessRow row{.seconds = noise.seconds,
                            .process = noise.process,
                            .turns = spread(noise.turns),
                            .abreast = spread(noise.abreast)};
  if (noise.process) {
    row.settles_turns = settled_in_a_minute(noise.turns, 2 * noise.seconds);
    row.settles_abreast = settled_in_a_minute(noise.abreast, 2 * noise.seconds);
  }
  return row;
}

/// The metrics that can't be had, those with one reason together.
std::vector<Fact> missing_here(measure::Launcher& launcher) {
  std::vector<Fact> missing;
  for (const auto& metric :
       campaign::lay_out_metrics(Plan{.workloads = {{.name = "any"}}}, campaign::what_is_offered(launcher))) {
    const auto& why = metric.demand.missing;
    if (why.empty()) continue;
    const auto* row = metrics::find_row(metric.name);
    const auto known = std::ranges::find(missing, why, &Fact::value);
    if (known == missing.end())
      missing.push_back(
          {row != nullptr && row->needs == metrics::Needs::counters ? "hardware counters" : metric.name,
           why});
  }
  return missing;
}

int conditions(bool quick, bool json) {
  program::StopOnSignals stopping;
  measure::Launcher launcher;
  const measure::Watch watch;
  render::Conditions found{.facts = measure::machine_facts()};
  found.launch_cost = measure::launch_cost(launcher);
  const auto clock = measure::clock_cost();
  found.clock_resolution = clock.resolution;
  found.clock_overhead = clock.overhead;
  found.missing = missing_here(launcher);
  const auto before = watch.now();
  found.load = before.load;
  found.on_battery = before.on_battery;
  if (!quick) {
    const bool terminal = isatty(STDERR_FILENO) == 1;
    const auto noise = measure::probe_noise(launcher, stopping.token(), [&](int place, int of) {
      if (terminal) std::cerr << "\r\x1b[Kprobing the noise, " << place << " of " << of << std::flush;
    });
    if (terminal) std::cerr << "\r\x1b[K" << std::flush;
    const auto after = watch.now();
    double cpu = 0;
    for (const auto& at : noise) cpu += at.cpu;
    const auto beside = measure::between(before, after, cpu);
    const double time = (after.monotonic - before.monotonic) * std::thread::hardware_concurrency();
    if (beside.stolen) found.stolen = *beside.stolen / time;
    if (beside.others) found.others = *beside.others / time;
    for (const auto& at : noise) found.steadiness.push_back(row_of(at));
  }
  std::cout << (json ? render::to_json(found) : render::to_text(found));
  return stopping.token().stop_requested() ? exit_interrupted : exit_done;
}

}  // namespace

void add_conditions(CLI::App& app, Action& action) {
  auto* command = app.add_subcommand("conditions", "what this machine is like to measure on");
  auto quick = std::make_shared<bool>(false), json = std::make_shared<bool>(false);
  command->add_flag("--quick", *quick, "without the ten-second probe of the noise");
  command->add_flag("--json", *json, "print it as JSON");
  command->footer(conditions_examples);
  command->callback([quick, json, &action] { action = [quick, json] { return conditions(*quick, *json); }; });
}

}  // namespace assay::cli
