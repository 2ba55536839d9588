#include "assay/runners/server_lifetime.hpp"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

namespace assay::runners {
namespace {

using testing::HasSubstr;
using testing::IsEmpty;

/// Two servers of one workload at one setting, and one of another workload.
class ServerLifetimeTest : public testing::Test {
 protected:
  ServerLifetimeTest() {
    design_.candidates = {{.name = "old"}, {.name = "new"}};
    design_.workloads = {{.name = "orders"}, {.name = "reach"}};
    design_.cells = {Cell{{0}, {0}, {}}, Cell{{1}, {0}, {}}, Cell{{0}, {1}, {}}};
    for (const auto id : design_.cells.ids()) cells_[id] = {};
  }

  /// After checks of both servers of the first workload.
  ServerLifetimes seen(double start, double load, double memory) const {
    ServerLifetimes groups(cells_, design_, {});
    groups.record_check(first_, start, load, memory);
    groups.record_check(second_, start, load, memory);
    return groups;
  }

  Design design_;
  std::map<CellId, ServerCell> cells_;
  CellId first_{0}, second_{1}, other_{2};
};

TEST_F(ServerLifetimeTest, IsARoundByDefault) {
  EXPECT_EQ(seen(0.1, 1, 1e6).lifetime(first_), ServerLifetime::round);
  EXPECT_THAT(seen(0.1, 1, 1e6).decisions(), IsEmpty());
  EXPECT_EQ(seen(0.5, 0.02, 1e6).lifetime(first_), ServerLifetime::round)
      << "eight rounds take eight seconds";
  const auto kept = seen(20, 0.5, 1e6);
  EXPECT_EQ(kept.lifetime(second_), ServerLifetime::session);
  EXPECT_EQ(kept.lifetime(other_), ServerLifetime::round);
  EXPECT_THAT(kept.decisions().at({0}),
              HasSubstr("starting its servers takes 40 s and a round's load 1 s: they are "
                        "kept up"));
  EXPECT_THAT(kept.decisions().at({0}), HasSubstr("8 rounds take 5 min"));
  const auto alone = seen(0.1, 1, 1e15);
  EXPECT_EQ(alone.lifetime(first_), ServerLifetime::trial);
  EXPECT_THAT(alone.decisions().at({0}), HasSubstr("each runs alone"));
}

TEST_F(ServerLifetimeTest, ARoundWithALayoutOfItsOwnRestartsThem) {
  design_.rules.layouts = 8;
  EXPECT_EQ(seen(20, 0.5, 1e6).lifetime(second_), ServerLifetime::round);
}

TEST_F(ServerLifetimeTest, DependsOnTheBudget) {
  design_.rules.budget_ms = 10'000;
  EXPECT_EQ(seen(0.5, 0.02, 1e6).lifetime(first_), ServerLifetime::session) << "more than five seconds of it";
  design_.rules.budget_ms = 1'000'000;
  EXPECT_EQ(seen(20, 0.5, 1e6).lifetime(first_), ServerLifetime::round);
}

TEST_F(ServerLifetimeTest, FollowsThePlan) {
  for (auto& [id, cell] : cells_) cell.keep = ServerLifetime::round;
  EXPECT_EQ(seen(20, 0.5, 1e15).lifetime(first_), ServerLifetime::round);
  EXPECT_THAT(seen(20, 0.5, 1e15).decisions(), IsEmpty());
}

TEST_F(ServerLifetimeTest, RequestsAreThoseOfASecondOrFitTheBudget) {
  ServerLifetimes groups(cells_, design_, {});
  EXPECT_FALSE(groups.count(first_));
  groups.set_rate(first_, 34'567);
  EXPECT_EQ(groups.count(second_), 34'000U) << "alike for all of its group";
  EXPECT_FALSE(groups.count(other_));
  groups.set_rate(other_, 12);
  EXPECT_EQ(groups.count(other_), 1000U);
  design_.rules.budget_ms = 30'000;  // half a second for each of three cells in twenty rounds
  groups.set_rate(first_, 34'567);
  EXPECT_EQ(groups.count(first_), 17'000U);
}

TEST_F(ServerLifetimeTest, AResumedCampaignKeepsItsRequestCount) {
  Log log;
  log.trials.push_back({.cell = first_, .role = Role::check, .calls = 7});
  log.trials.push_back({.cell = second_, .round = 1, .calls = 4200});
  const ServerLifetimes groups(cells_, design_, log);
  EXPECT_EQ(groups.count(first_), 4200U);
  EXPECT_FALSE(groups.count(other_));
}

}  // namespace
}  // namespace assay::runners
