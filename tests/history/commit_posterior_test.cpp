#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>

#include "assay/history/commit_search.hpp"
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
Came search(CommitPosterior& commits, stats::Random& random, std::size_t at, std::size_t second,
            double effect) {
  const auto costs = equal_costs(commits.last());
  constexpr int ends = 7;  // good against bad
  const double total = effect * (second <= commits.last() ? 2 : 1);
  for (int i = 0; i < ends; ++i) commits.add(commits.last(), total + random.normal());
  while (commits.likeliest().probability < 0.95) {
    const auto probe = commits.next(costs);
    if (!probe) break;
    const double level = (probe->place >= at ? effect : 0) + (probe->place >= second ? effect : 0);
    commits.add(probe->place, level + random.normal());
  }
  const auto run = commits.likeliest();
  return {static_cast<double>(commits.pairs()) - ends, run.first <= at && at < run.end};
}

TEST(CommitPosterior, NeedsFewPairs) {
  // The wrong answers: 5 % promised, so at most 4 of 80 expected; 17 would be chance in fewer than 1 of 10^6.
  double pairs = 0;
  int wrong = 0;
  constexpr int searches = 80;
  for (int i = 0; i < searches; ++i) {
    stats::Random random(21, static_cast<std::uint64_t>(i));
    CommitPosterior commits(64, {.step = 2, .total = 2, .scale = 1});
    const auto came = search(commits, random, 1 + random.below(64), 1000, 2);
    pairs += came.pairs / searches;
    wrong += came.right ? 0 : 1;
  }
  EXPECT_LT(pairs, 13 * 1.6) << "13 with the scatter known, not told by seven pairs";
  EXPECT_LT(wrong, 17);
}

TEST(CommitPosterior, TheFirstOfTwoStepsIsFound) {
  int wrong = 0;
  for (int i = 0; i < 40; ++i) {
    stats::Random random(22, static_cast<std::uint64_t>(i));
    const auto first = 1 + random.below(20), second = 40 + random.below(20);
    CommitPosterior commits(64, {.step = 2, .total = 4, .scale = 1});
    wrong += search(commits, random, first, second, 2).right ? 0 : 1;
  }
  EXPECT_LT(wrong, 12) << "2 of 40 expected at 5 %; 12 would be chance in fewer than 1 of 10^6";
}

TEST(CommitPosterior, SilentOnesEndInARunWithTheirNeighbours) {
  stats::Random random(23);
  CommitPosterior commits(16, {.step = 4, .total = 4, .scale = 1});
  for (const std::size_t silent : {7U, 8U}) commits.mark_unmeasurable(silent);
  search(commits, random, 8, 1000, 4);
  const auto run = commits.likeliest();
  EXPECT_EQ(run.first, 7);
  EXPECT_EQ(run.end, 10) << "7, 8 and the first that can be measured after them";
  EXPECT_THROW(commits.mark_unmeasurable(16), DomainError);
  CommitPosterior all(4, {.step = 1, .total = 1, .scale = 1});
  for (std::size_t place = 1; place < 4; ++place) all.mark_unmeasurable(place);
  EXPECT_FALSE(all.next(equal_costs(4)));
  EXPECT_EQ(all.likeliest().end - all.likeliest().first, 4);
}

TEST(CommitPosterior, AnExcludedCommitLeavesItsShareToTheOthers) {
  CommitPosterior commits(4, {.step = 2, .total = 2, .scale = 1});
  commits.exclude({.first = 2, .end = 4});
  const auto p = commits.probabilities();
  EXPECT_EQ(p[2] + p[3], 0);
  EXPECT_NEAR(p[1], 0.5, 1e-12);
  commits.exclude({.first = 1, .end = 5});
  EXPECT_NEAR(commits.probabilities()[4], 0.25, 1e-12) << "of all, nobody is";
}

TEST(CommitPosterior, ABuildIsWeighedAgainstWhatItTells) {
  CommitPosterior commits(64, {.step = 2, .total = 2, .scale = 1});
  auto costs = equal_costs(64);
  EXPECT_NEAR(static_cast<double>(commits.next(costs)->place), 32, 1) << "the middle tells most";
  EXPECT_EQ(commits.next(costs)->pairs, 1);
  for (auto& cost : costs) cost.before = 100;
  EXPECT_GE(commits.next(costs)->pairs, 4) << "who builds for long measures several";
  costs[20].before = 0;
  EXPECT_EQ(commits.next(costs)->place, 20) << "what is built already is nearer";
}

}  // namespace
}  // namespace assay::history
