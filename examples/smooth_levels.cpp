// Smoothing a year of water levels, one an hour, by the mean of a day around each: adding each window up
// again, against one running sum. The sums round differently, so the answers agree within a tolerance; and a
// call has to be quick enough to be made on every new reading.

#include <assay/contest.hpp>
#include <cmath>
#include <cstddef>
#include <random>
#include <vector>

namespace {

using Levels = std::vector<double>;

constexpr std::size_t hours = 365 * 24, window = 24;

/// Tides, a flood in spring, and the ripples of the gauge.
Levels make_levels() {
  std::mt19937 random(7);
  std::normal_distribution<double> ripple(0, 0.02);
  Levels levels;
  for (std::size_t hour = 0; hour < hours; ++hour) {
    const double day = static_cast<double>(hour) / 24;
    levels.push_back(2 + 0.3 * std::sin(day * 12.17) + 0.8 * std::exp(-std::pow((day - 95) / 12, 2)) +
                     ripple(random));
  }
  return levels;
}

Levels smooth_by_windows(const Levels& levels) {
  Levels smooth;
  smooth.reserve(levels.size() - window + 1);
  for (std::size_t start = 0; start + window <= levels.size(); ++start) {
    double sum = 0;
    for (std::size_t i = start; i < start + window; ++i) sum += levels[i];
    smooth.push_back(sum / window);
  }
  return smooth;
}

Levels smooth_by_running_sum(const Levels& levels) {
  Levels smooth;
  smooth.reserve(levels.size() - window + 1);
  double sum = 0;
  for (std::size_t i = 0; i < window; ++i) sum += levels[i];
  smooth.push_back(sum / window);
  for (std::size_t i = window; i < levels.size(); ++i) {
    sum += levels[i] - levels[i - window];
    smooth.push_back(sum / window);
  }
  return smooth;
}

}  // namespace

int main(int argc, char** argv) {
  assay::Contest contest("smoothing water levels");
  contest.input(make_levels);
  contest.baseline("windows", smooth_by_windows);
  contest.candidate("running sum", smooth_by_running_sum);
  contest.answer_tolerance(1e-9);
  contest.work(hours, "levels");
  contest.require("time per call", "< 2 ms");
  return assay::run_main(contest, argc, argv);
}
