#include "assay/measure/noise.hpp"

#include <algorithm>
#include <array>
#include <chrono>
#include <cmath>
#include <cstdint>
#include <ctime>
#include <string>

namespace assay::measure {
namespace {

using Clock = std::chrono::steady_clock;

double now() { return std::chrono::duration<double>(Clock::now().time_since_epoch()).count(); }

double cpu_of_this_process() {
  timespec t{};
  clock_gettime(CLOCK_PROCESS_CPUTIME_ID, &t);
  return static_cast<double>(t.tv_sec) + static_cast<double>(t.tv_nsec) * 1e-9;
}

/// Each turn depends on the one before.
void turn(std::uint64_t turns) {
  static volatile std::uint64_t seed = 88172645463325252ULL;
  std::uint64_t x = seed;
  for (; turns > 0; --turns) {
    x ^= x << 13U;
    x ^= x >> 7U;
    x ^= x << 17U;
  }
  seed = x;
}

double timed(std::uint64_t turns) {
  const double start = now();
  turn(turns);
  return now() - start;
}

double median_of(std::vector<double> values) {
  std::ranges::nth_element(values, values.begin() + static_cast<std::ptrdiff_t>(values.size() / 2));
  return values[values.size() / 2];
}

double turns_per_second() {
  constexpr std::uint64_t turns = 1'000'000;
  std::vector<double> times;
  for (int i = 0; i < 21; ++i) times.push_back(timed(turns));
  return static_cast<double>(turns) / median_of(times);
}

struct Probe {
  double seconds;
  bool process;
  int pairs_in_turns, pairs_abreast;
};

// About ten seconds together: 0.3 + 0.8 + 1.2 + 1 + 1 + 2.8 + 2.8.
constexpr std::array<Probe, 5> probes = {{{20e-6, false, 4000, 0},
                                          {200e-6, false, 1500, 0},
                                          {2e-3, false, 300, 0},
                                          {20e-3, true, 25, 25},
                                          {200e-3, true, 7, 7}}};

}  // namespace

ClockCost clock_cost() {
  constexpr int readings = 200000;
  ClockCost cost{.resolution = 1};
  const double start = now();
  auto last = Clock::now();
  for (int i = 0; i < readings; ++i) {
    const auto next = Clock::now();
    const double step = std::chrono::duration<double>(next - last).count();
    if (step > 0) cost.resolution = std::min(cost.resolution, step);
    last = next;
  }
  cost.overhead = (now() - start) / readings;
  return cost;
}

double launch_cost(Launcher& launcher, int runs) {
  const Command nothing{.program = calibration_program(), .arguments = {"spin", "spin", "0"}};
  std::vector<double> times;
  for (int i = 0; i < runs; ++i) times.push_back(launcher.run(nothing).wall);
  return median_of(times);
}

std::vector<NoiseSample> probe_noise(Launcher& launcher, const std::stop_token& stop,
                                     const std::function<void(int, int)>& on_probe) {
  std::vector<NoiseSample> all;
  const double rate = turns_per_second();
  for (const auto& probe : probes) {
    if (stop.stop_requested()) break;
    if (on_probe) on_probe(static_cast<int>(all.size()) + 1, static_cast<int>(probes.size()));
    NoiseSample noise{.seconds = probe.seconds, .process = probe.process, .turns = {}, .abreast = {}};
    const auto turns = static_cast<std::uint64_t>(probe.seconds * rate);
    const Command spin{.program = calibration_program(),
                       .arguments = {"spin", "spin", std::to_string(turns)}};
    const auto run = [&] {
      if (!probe.process) return timed(turns);
      const auto result = launcher.run(spin, stop);
      noise.cpu += result.user + result.system;
      return result.wall;
    };
    const double began = cpu_of_this_process();
    for (int i = 0; i < probe.pairs_in_turns && !stop.stop_requested(); ++i) {
      const double first = run(), second = run();
      if (!stop.stop_requested()) noise.turns.push_back(std::log(second / first));
    }
    const std::array both = {spin, spin};
    for (int i = 0; i < probe.pairs_abreast && !stop.stop_requested(); ++i) {
      const auto results = launcher.run_abreast(both, cores_allowed().back(), 0, stop);
      const double first = results[0].user + results[0].system, second = results[1].user + results[1].system;
      noise.cpu += first + second;
      if (first > 0 && second > 0) noise.abreast.push_back(std::log(second / first));
    }
    noise.cpu += cpu_of_this_process() - began;
    all.push_back(std::move(noise));
  }
  return all;
}

}  // namespace assay::measure
