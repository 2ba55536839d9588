#include "assay/engine/campaign_runner.hpp"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "support/fake_rig.hpp"

namespace assay::engine {
namespace {

using test::FakeRig;
using test::Observing;
using test::recorder_for;

TEST(Life, ChecksForecastsMeasuresChecksAgainAndCloses) {
  auto recorder = recorder_for(3);
  FakeRig rig;
  Observing observing;
  CampaignRunner life(recorder, rig, observing, {}, rig.clock());
  const auto findings = life.run(*until_decided(6, {}, false), true);
  EXPECT_EQ(findings.state, CampaignState::ended);
  EXPECT_EQ(rig.checks, 6);
  EXPECT_EQ(rig.closed, 1);
  EXPECT_EQ(observing.forecasts, 2) << "after the checks, and after three rounds";
  EXPECT_THAT(observing.heard, testing::ElementsAre("workload orders: nothing checks what it answers"));
}

TEST(Life, IsInterruptedByAStopRequestWhereverItIs) {
  for (const int checks : {1, 4}) {
    auto recorder = recorder_for(3);
    std::stop_source source;
    FakeRig rig;
    rig.change = [&](Trial&) {
      if (rig.checks == checks) source.request_stop();
    };
    Observing observing;
    CampaignRunner life(recorder, rig, observing, source.get_token(), rig.clock());
    EXPECT_EQ(life.run(*until_decided(6, {}, false), false).state, CampaignState::interrupted);
    EXPECT_EQ(rig.closed, 1);
  }
}

TEST(Life, GivesCellsTheStandingOfTheirChecks) {
  auto recorder = recorder_for(4);
  FakeRig rig;
  rig.change = [](Trial& trial) {
    if (trial.role != Role::check) return;
    if (trial.cell == CellId{1}) trial.outcome = Outcome::wrong;
    if (trial.cell == CellId{2}) trial.outcome = Outcome::unsupported;
    trial.detail = "so it is";
  };
  Observing observing;
  CampaignRunner(recorder, rig, observing, {}, rig.clock()).check("at the end, ");
  EXPECT_EQ(recorder.statuses()[CellId{1}], (CellStatus{StatusCode::wrong, "at the end, so it is"}));
  EXPECT_EQ(recorder.statuses()[CellId{2}].code, StatusCode::unsupported);
  EXPECT_TRUE(recorder.statuses()[CellId{3}].is_ok());
}

}  // namespace
}  // namespace assay::engine
