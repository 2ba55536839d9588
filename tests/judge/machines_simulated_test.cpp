#include <gtest/gtest.h>

#include <cmath>
#include <vector>

#include "assay/judge/sequential.hpp"
#include "support/series.hpp"

namespace assay::judge {
namespace {

// Whole campaigns of up to 60 rounds, with all looks, whose rounds several machines ran. Seeds are fixed; the stated
// chances are for other seeds.

struct Fleet {
  const char* name;
  std::vector<double> slower, noise;
};

const std::vector<Fleet> fleets = {
    {"one", {1}, {0.02}},
    {"two, 3 % apart", {1, 1.03}, {0.02, 0.02}},
    {"two, 1 : 2, noise 1 : 3", {1, 2}, {0.02, 0.06}},
    {"four, up to 1 : 2", {1, 1.03, 1.1, 2}, {0.02, 0.02, 0.02, 0.02}},
    {"sixteen alike", std::vector<double>(16, 1), std::vector<double>(16, 0.02)},
};

/// Rounds in turns on each machine of a program that takes `change` times as long; noise that makes trials slower
/// besides what goes both ways.
PairedSeries measured_by(const Fleet& fleet, std::size_t rounds, double change, stats::Random& random) {
  PairedSeries series{.comparison = {{0}, {1}}};
  const auto count = fleet.slower.size();
  for (std::size_t r = 0; r < rounds; ++r) {
    const auto on = r % count;
    const auto trial = [&](double typical) {
      const double slow = random.below(2) == 0 ? -2 * std::log1p(-random.uniform()) : 0;
      return typical * fleet.slower[on] * std::exp(fleet.noise[on] * (0.5 * random.normal() + slow));
    };
    series.rounds.push_back(static_cast<int>(r) + 2);
    series.baseline.push_back(trial(1));
    series.candidate.push_back(trial(change));
    if (count > 1) series.machines.push_back(static_cast<int>(on));
  }
  return series;
}

TestFamily of_times() {
  TestFamily family{.options = {.metric = {.name = "wall time", .unit = "s"}, .margin = 0.005},
                    .max_rounds = 60};
  family.options.rest = false;
  return family;
}

struct Outcomes {
  int called = 0, covered = 0;
};

Outcomes campaigns(const Fleet& fleet, int count, std::size_t rounds, double change, std::uint64_t seed) {
  stats::Random random(seed);
  Outcomes outcomes;
  auto family = of_times();
  family.max_rounds = static_cast<int>(rounds);
  for (int i = 0; i < count; ++i) {
    const std::vector<PairedSeries> one = {measured_by(fleet, rounds, change, random)};
    const auto finding = decide_family(one, family, Stage::ended).front();
    outcomes.called += is_change(finding.verdict) ? 1 : 0;
    outcomes.covered += finding.interval.contains(change) ? 1 : 0;
  }
  return outcomes;
}

/// 100 campaigns of each fleet without a change: at 5 % more than 18 alarms have a chance below 1e-6 (binomial), and at
/// 95 % fewer than 82 covered.
TEST(MachinesSimulated, FalseAlarmsAndCoverageAreThoseOfOne) {
  for (const auto& fleet : fleets) {
    const auto outcomes = campaigns(fleet, 100, 30, 1, 51);
    EXPECT_LE(outcomes.called, 18) << fleet.name;
    EXPECT_GE(outcomes.covered, 82) << fleet.name;
  }
}

/// 100 campaigns of 20 rounds with a change of one spread, which one machine finds in three of four. Nine tenths of that
/// are expected of machines of unlike speed; below 38 has a chance of less than 1e-6 at a rate of 0.62.
TEST(MachinesSimulated, PowerOfUnlikeMachinesIsNearThatOfOne) {
  const auto one = campaigns(fleets[0], 100, 20, 0.98, 52).called;
  EXPECT_GE(one, 38);
  for (const std::size_t unlike : {1UL, 3UL})
    EXPECT_GE(campaigns(fleets[unlike], 100, 20, 0.98, 52).called, 38)
        << fleets[unlike].name << "; one: " << one;
}

/// Half of the machines 5 % quicker with the candidate, half 5 % slower: a verdict would be wrong for one half.
TEST(MachinesSimulated, ThatDisagreeGetNoVerdict) {
  stats::Random random(53);
  int called = 0;
  for (int i = 0; i < 40; ++i) {
    auto series = measured_by(fleets[1], 40, 1, random);
    for (std::size_t r = 0; r < series.rounds.size(); ++r) series.candidate[r] *= r % 2 == 0 ? 0.93 : 1.05;
    const std::vector<PairedSeries> one = {series};
    called += decide_family(one, of_times(), Stage::ended).front().verdict != Verdict::unclear ? 1 : 0;
  }
  EXPECT_LE(called, 12) << "a look at few rounds may call what later ones don't; of 40 at 5 %";
}

}  // namespace
}  // namespace assay::judge
