#include <gtest/gtest.h>

#include <cmath>
#include <functional>
#include <vector>

#include "assay/judge/judge.hpp"
#include "assay/judge/sequential.hpp"
#include "assay/schedule/interim_looks.hpp"
#include "support/series.hpp"

namespace assay::judge {
namespace {

using test::family;
using test::normal_effects;
using test::series_of;
using test::settle_and_stop;
using test::settle_one;

// --- simulated promises: seeds are fixed; the stated chances are for other seeds
// -------------------------------

using Noise = std::function<double(stats::Random&)>;

struct Decision {
  const char* name;
  Noise draw;
};

const std::vector<Decision> kinds = {
    {"normal", [](stats::Random& r) { return r.normal(); }},
    {"t3",
     [](stats::Random& r) {
       return r.normal() /
              std::sqrt((std::pow(r.normal(), 2) + std::pow(r.normal(), 2) + std::pow(r.normal(), 2)) / 3);
     }},
    {"Cauchy", [](stats::Random& r) { return r.normal() / std::abs(r.normal()); }},
    {"lognormal", [](stats::Random& r) { return std::exp(r.normal()); }},
    {"two modes", [](stats::Random& r) { return (r.below(2) == 0 ? 0 : 8) + r.normal(); }},
};

TEST(SequentialSimulated, FalseAlarmsStayBelowTheErrorRateWhateverTheNoise) {
  // 400 campaigns of up to 60 rounds without a change, trials drifting and autocorrelated besides; a round's
  // order is shuffled. At a true rate of 5 % more than 44 alarms have a chance below 1e-6 (binomial), for
  // each noise.
  for (const auto& kind : kinds) {
    stats::Random random(20);
    int alarms = 0;
    for (int i = 0; i < 400; ++i) {
      std::vector<double> d(60);
      double mood = 0;
      for (std::size_t r = 0; r < d.size(); ++r) {
        std::vector<double> trials(2);
        for (auto& t : trials) {
          mood = 0.8 * mood + random.normal();
          t = kind.draw(random) * (r < 30 ? 1 : 5) + mood + 0.05 * static_cast<double>(r);
        }
        d[r] = random.below(2) == 0 ? trials[0] - trials[1] : trials[1] - trials[0];
      }
      const auto verdict = settle_one(d, family(1e-9)).verdict;
      alarms += verdict == Verdict::better || verdict == Verdict::worse ? 1 : 0;
    }
    EXPECT_LE(alarms, 44) << kind.name;
  }
}

TEST(SequentialSimulated, GrowingEffectsStayWithinTheRate) {
  stats::Random random(21);
  int alarms = 0;
  for (int i = 0; i < 600; ++i) {
    std::vector<double> d(60);
    for (std::size_t r = 0; r < d.size(); ++r)
      d[r] = (random.below(2) == 0 ? 1 : -1) * std::pow(1.5, static_cast<double>(r));
    const auto verdict = settle_one(d, family(1e-9)).verdict;
    alarms += verdict != Verdict::unclear ? 1 : 0;
  }
  EXPECT_LE(alarms, 58);
  EXPECT_GE(alarms, 16) << "the rate is used, not wasted";
}

TEST(SequentialSimulated, IntervalsCoverAfterStoppingAndChangesAreFound) {
  // 600 campaigns, effect of three margins at sd two margins: at 95 % coverage more than 58 misses have a
  // chance below 1e-6. The mean number of rounds is known to be near 10.5.
  stats::Random random(22);
  int missed = 0, called = 0;
  double rounds = 0;
  for (int i = 0; i < 600; ++i) {
    const auto f = settle_and_stop(normal_effects(random, 60, 3, 2), family(1));
    missed += f.interval.contains(3) ? 0 : 1;
    called += f.verdict == Verdict::worse ? 1 : 0;
    rounds += static_cast<double>(f.rounds);
  }
  EXPECT_LE(missed, 58);
  EXPECT_GT(called, 580);
  EXPECT_NEAR(rounds / 600, 10.5, 0.9);
}

TEST(SequentialSimulated, FalseSamesAtTheMarginAreRare) {
  // At most 2.5 % by construction: more than 36 of 600 have a chance below 1e-6.
  stats::Random random(23);
  int same = 0;
  for (int i = 0; i < 600; ++i)
    same += settle_one(normal_effects(random, 60, 1, 0.5), family(1)).verdict == Verdict::same ? 1 : 0;
  EXPECT_LE(same, 36);
}

TEST(SequentialSimulated, FalseDiscoveriesOverFortyFindingsOnASharedBaselineStayWithinTheirShare) {
  // 120 campaigns of 40 findings on one baseline's trials, a quarter with a change. The mean share of false
  // calls is at most 5 % by design; its standard error here is below 0.6 %, so 8 % is five of them.
  stats::Random random(24);
  double share = 0;
  for (int campaign = 0; campaign < 120; ++campaign) {
    const auto baseline = normal_effects(random, 60, 0, 1);
    std::vector<PairedSeries> all;
    for (std::int64_t id = 1; id <= 40; ++id) {
      auto d = normal_effects(random, 60, id <= 10 ? 2.5 : 0, 1);
      for (std::size_t r = 0; r < d.size(); ++r) d[r] -= baseline[r];
      if (random.below(10) == 0) d.resize(40);  // some pairs are missing
      all.push_back(series_of(d, id));
    }
    int called = 0, wrong = 0;
    for (const auto& f : decide_family(all, family(0.01), Stage::ended)) {
      if (f.verdict != Verdict::better && f.verdict != Verdict::worse) continue;
      ++called;
      wrong += f.comparison.candidate.value > 10 ? 1 : 0;
    }
    share += called > 0 ? static_cast<double>(wrong) / called : 0;
  }
  EXPECT_LT(share / 120, 0.08);
}

}  // namespace
}  // namespace assay::judge
