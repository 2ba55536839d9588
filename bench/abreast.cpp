// Programs that run abreast on one core, beside the same programs in turns: how well planted changes are
// recovered, and how the spread of log ratios compares.

#include <fmt/format.h>
#include <unistd.h>

#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <cstring>
#include <numeric>
#include <span>
#include <vector>

#include "assay/judge/paired_test.hpp"
#include "assay/measure/process.hpp"
#include "assay/stats/location.hpp"
#include "assay/stats/random.hpp"

namespace {

using namespace assay;
using namespace assay::model;

enum class Way { turns, abreast };

measure::Command spin(double seconds, double turns_per_second) {
  return {.program = measure::calibration_program(),
          .arguments = {"spin", "spin", fmt::format("{:.0f}", seconds * turns_per_second)}};
}

double cpu(const measure::ProcessResult& result) { return result.user + result.system; }

double turns_per_second(measure::Launcher& launcher) {
  std::vector<double> rates;
  for (int i = 0; i < 5; ++i) rates.push_back(2e8 / cpu(launcher.run(spin(1, 2e8))));
  return stats::median(rates);
}

struct Sides {
  std::vector<double> baseline, candidate;
};

Sides measure_pair(measure::Launcher& launcher, const measure::Command& a, const measure::Command& b, Way way,
                   int rounds, std::uint64_t seed) {
  Sides sides;
  stats::Random random(seed);
  const int core = measure::cores_allowed().back();
  for (int round = 0; round < rounds; ++round) {
    const bool swapped = random.below(2) == 1;
    std::vector<measure::Command> order = {swapped ? b : a, swapped ? a : b};
    std::vector<double> used;
    if (way == Way::turns)
      for (auto command : order) used.push_back(cpu(launcher.run(command)));
    else
      for (const auto& result : launcher.run_abreast(order, core)) used.push_back(cpu(result));
    sides.baseline.push_back(used[swapped ? 1 : 0]);
    sides.candidate.push_back(used[swapped ? 0 : 1]);
  }
  return sides;
}

/// A robust standard deviation of the rounds' log ratios: from the median absolute deviation.
double spread(const Sides& sides) {
  std::vector<double> effects;
  for (std::size_t i = 0; i < sides.baseline.size(); ++i)
    effects.push_back(std::log(sides.candidate[i] / sides.baseline[i]));
  return stats::median_absolute_deviation(effects);
}

const char* name(Way way) { return way == Way::turns ? "in turns" : "abreast"; }

void planted(measure::Launcher& launcher, double rate) {
  // What starting a program costs is in both sides, so that a planted change is a little smaller in truth.
  std::vector<double> starts;
  for (int i = 0; i < 200; ++i) starts.push_back(cpu(launcher.run(spin(0, rate))));
  const double start = stats::mean(starts);
  fmt::print("planted changes of CPU time, 80 ms and {:.2f} ms to start, 25 rounds each\n", start * 1e3);
  fmt::print("{:>9} {:>10} {:>10} {:>10} {:>22}\n", "planted", "in truth", "way", "seen", "interval");
  for (const double change : {0.0, 0.01, 0.05, 0.5, 2.0})
    for (const auto way : {Way::turns, Way::abreast}) {
      const auto sides =
          measure_pair(launcher, spin(0.08, rate), spin(0.08 * (1 + change), rate), way, 25, 7);
      const auto f =
          judge::judge_paired(sides.baseline, sides.candidate, {.metric = {.name = "cpu time", .unit = "s"}});
      const double truth = (start + 0.08 * (1 + change)) / (start + 0.08);
      fmt::print("{:>7.0f} % {:>8.2f} % {:>10} {:>8.2f} % {:>9.2f} to {:>6.2f} %  {}\n", change * 100,
                 (truth - 1) * 100, name(way), (f.effect.value - 1) * 100, (f.interval.low - 1) * 100,
                 (f.interval.high - 1) * 100, f.interval.contains(truth) ? "" : "missed");
    }
}

void spreads(measure::Launcher& launcher, double rate) {
  fmt::print("\nspread (robust sd) of log ratios of one program with itself\n");
  fmt::print("{:>8} {:>10} {:>10} {:>8}\n", "CPU", "in turns", "abreast", "ratio");
  for (const auto& [seconds, rounds] : {std::pair{0.02, 60}, {0.08, 40}, {0.4, 20}}) {
    double found[2];
    for (const auto way : {Way::turns, Way::abreast})
      found[static_cast<int>(way)] =
          spread(measure_pair(launcher, spin(seconds, rate), spin(seconds, rate), way, rounds, 11));
    fmt::print("{:>5.0f} ms {:>8.2f} % {:>8.2f} % {:>8.1f}\n", seconds * 1e3, found[0] * 100, found[1] * 100,
               found[0] / found[1]);
  }
}

/// Random reads all over a block of memory, as a program of its own.
int walk(double mebibytes, long reads) {
  const auto count = static_cast<std::size_t>(mebibytes * (1 << 20U) / sizeof(std::uint32_t));
  std::vector<std::uint32_t> next(count);
  std::iota(next.begin(), next.end(), 0U);
  stats::Random random(3);
  for (std::size_t i = count - 1; i > 0; --i) std::swap(next[i], next[random.below(i)]);  // one cycle
  std::uint32_t at = 0;
  for (; reads > 0; --reads) at = next[at];
  volatile std::uint32_t end = at;
  return static_cast<int>(end & 0U);
}

void sharing(measure::Launcher& launcher, const char* self) {
  fmt::print("\nrandom reads in 1 MiB beside 2 MiB, 20 rounds\n");
  const auto walker = [&](const char* size) {
    return measure::Command{.program = self, .arguments = {"walk", "walk", size, "6000000"}};
  };
  for (const auto way : {Way::turns, Way::abreast}) {
    const auto sides = measure_pair(launcher, walker("1"), walker("2"), way, 20, 13);
    const auto f =
        judge::judge_paired(sides.baseline, sides.candidate, {.metric = {.name = "cpu time", .unit = "s"}});
    fmt::print("{:>10} {:>8.1f} % ({:.1f} to {:.1f} %)\n", name(way), (f.effect.value - 1) * 100,
               (f.interval.low - 1) * 100, (f.interval.high - 1) * 100);
  }
}

}  // namespace

int main(int argc, char** argv) {
  if (argc == 4 && std::strcmp(argv[1], "walk") == 0) return walk(std::atof(argv[2]), std::atol(argv[3]));
  measure::Launcher launcher;
  const double rate = turns_per_second(launcher);
  planted(launcher, rate);
  spreads(launcher, rate);
  char self[4096] = {};
  if (readlink("/proc/self/exe", self, sizeof self - 1) > 0) sharing(launcher, self);
}
