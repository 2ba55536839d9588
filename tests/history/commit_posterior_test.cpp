#include "assay/history/commit_posterior.hpp"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>

#include "assay/model/error.hpp"
#include "assay/stats/random.hpp"

namespace assay::history {
namespace {

using Costs = std::vector<CommitPosterior::Cost>;

Costs equal_costs(std::size_t last) { return Costs(last + 1, {.before = 0, .pair = 1}); }

/// Searches as locate() does, for a change at `at` (and a second one of the same size at `second`), until one
/// run is sure; pairs, and whether the run holds the first change.
struct Came {
  double pairs = 0;
  bool right = false;
};
Came search(CommitPosterior& suspects, stats::Random& random, std::size_t at, std::size_t second,
            double effect) {
  const auto costs = equal_costs(suspects.last());
  constexpr int ends = 7;  // good against bad
  const double total = effect * (second <= suspects.last() ? 2 : 1);
  for (int i = 0; i < ends; ++i) suspects.add(suspects.last(), total + random.normal());
  while (suspects.likeliest().probability < 0.95) {
    const auto probe = suspects.next(costs);
    if (!probe) break;
    const double level = (probe->place >= at ? effect : 0) + (probe->place >= second ? effect : 0);
    suspects.add(probe->place, level + random.normal());
  }
  const auto run = suspects.likeliest();
  return {static_cast<double>(suspects.pairs()) - ends, run.first <= at && at < run.end};
}

TEST(Suspects, AreDividedWithAsFewPairsAsInformationAllows) {
  // The wrong answers: 5 % promised, so at most 4 of 80 expected; 17 would be chance in fewer than 1 of 10^6.
  double pairs = 0;
  int wrong = 0;
  constexpr int searches = 80;
  for (int i = 0; i < searches; ++i) {
    stats::Random random(21, static_cast<std::uint64_t>(i));
    CommitPosterior suspects(64, {.step = 2, .total = 2, .scale = 1});
    const auto came = search(suspects, random, 1 + random.below(64), 1000, 2);
    pairs += came.pairs / searches;
    wrong += came.right ? 0 : 1;
  }
  EXPECT_LT(pairs, 13 * 1.6) << "13 with the scatter known, not told by seven pairs";
  EXPECT_LT(wrong, 17);
}

TEST(Suspects, TheFirstOfTwoStepsIsFound) {
  int wrong = 0;
  for (int i = 0; i < 40; ++i) {
    stats::Random random(22, static_cast<std::uint64_t>(i));
    const auto first = 1 + random.below(20), second = 40 + random.below(20);
    CommitPosterior suspects(64, {.step = 2, .total = 4, .scale = 1});
    wrong += search(suspects, random, first, second, 2).right ? 0 : 1;
  }
  EXPECT_LT(wrong, 12) << "2 of 40 expected at 5 %; 12 would be chance in fewer than 1 of 10^6";
}

TEST(Suspects, SilentOnesEndInARunWithTheirNeighbours) {
  stats::Random random(23);
  CommitPosterior suspects(16, {.step = 4, .total = 4, .scale = 1});
  for (const std::size_t silent : {7U, 8U}) suspects.mark_unmeasurable(silent);
  search(suspects, random, 8, 1000, 4);
  const auto run = suspects.likeliest();
  EXPECT_EQ(run.first, 7);
  EXPECT_EQ(run.end, 10) << "7, 8 and the first that can be measured after them";
  EXPECT_THROW(suspects.mark_unmeasurable(16), DomainError);
  CommitPosterior all(4, {.step = 1, .total = 1, .scale = 1});
  for (std::size_t place = 1; place < 4; ++place) all.mark_unmeasurable(place);
  EXPECT_FALSE(all.next(equal_costs(4)));
  EXPECT_EQ(all.likeliest().end - all.likeliest().first, 4);
}

TEST(Suspects, WhoIsAcquittedLeavesItToTheOthers) {
  CommitPosterior suspects(4, {.step = 2, .total = 2, .scale = 1});
  suspects.exclude({.first = 2, .end = 4});
  const auto p = suspects.probabilities();
  EXPECT_EQ(p[2] + p[3], 0);
  EXPECT_NEAR(p[1], 0.5, 1e-12);
  suspects.exclude({.first = 1, .end = 5});
  EXPECT_NEAR(suspects.probabilities()[4], 0.25, 1e-12) << "of all, nobody is";
}

TEST(Suspects, ABuildIsWeighedAgainstWhatItTells) {
  CommitPosterior suspects(64, {.step = 2, .total = 2, .scale = 1});
  auto costs = equal_costs(64);
  EXPECT_NEAR(static_cast<double>(suspects.next(costs)->place), 32, 1) << "the middle tells most";
  EXPECT_EQ(suspects.next(costs)->pairs, 1);
  for (auto& cost : costs) cost.before = 100;
  EXPECT_GE(suspects.next(costs)->pairs, 4) << "who builds for long measures several";
  costs[20].before = 0;
  EXPECT_EQ(suspects.next(costs)->place, 20) << "what is built already is nearer";
}

}  // namespace
}  // namespace assay::history
