#include "assay/engine/campaign_runner.hpp"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "support/fake_runner.hpp"

namespace assay::engine {
namespace {

using test::FakeRunner;
using test::Observing;
using test::recorder_for;

TEST(CampaignRunner, ChecksForecastsMeasuresChecksAgainAndCloses) {
  auto recorder = recorder_for(3);
  FakeRunner runner;
  Observing observing;
  CampaignRunner life(recorder, runner, observing, {}, runner.clock());
  const auto findings = life.run(*until_decided(6, {}), true);
  EXPECT_EQ(findings.state, CampaignState::ended);
  EXPECT_EQ(runner.checks, 6);
  EXPECT_EQ(runner.closed, 1);
  EXPECT_EQ(observing.forecasts, 2) << "after the checks, and after three rounds";
  EXPECT_THAT(observing.heard, testing::ElementsAre("workload orders: nothing checks what it answers"));
}

TEST(CampaignRunner, StopsWhereverItIs) {
  for (const int checks : {1, 4}) {
    auto recorder = recorder_for(3);
    std::stop_source source;
    FakeRunner runner;
    runner.change = [&](Trial&) {
      if (runner.checks == checks) source.request_stop();
    };
    Observing observing;
    CampaignRunner life(recorder, runner, observing, source.get_token(), runner.clock());
    EXPECT_EQ(life.run(*until_decided(6, {}), false).state, CampaignState::interrupted);
    EXPECT_EQ(runner.closed, 1);
  }
}

TEST(CampaignRunner, GivesCellsTheStatusOfTheirChecks) {
  auto recorder = recorder_for(4);
  FakeRunner runner;
  runner.change = [](Trial& trial) {
    if (trial.role != Role::check) return;
    if (trial.cell == CellId{1}) trial.outcome = Outcome::wrong;
    if (trial.cell == CellId{2}) trial.outcome = Outcome::unsupported;
    trial.detail = "so it is";
  };
  Observing observing;
  CampaignRunner(recorder, runner, observing, {}, runner.clock()).check("at the end, ");
  EXPECT_EQ(recorder.statuses()[CellId{1}], (CellStatus{StatusCode::wrong, "at the end, so it is"}));
  EXPECT_EQ(recorder.statuses()[CellId{2}].code, StatusCode::unsupported);
  EXPECT_TRUE(recorder.statuses()[CellId{3}].is_ok());
}

}  // namespace
}  // namespace assay::engine
