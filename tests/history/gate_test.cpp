#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <string>
#include <vector>

#include "assay/history/history_line.hpp"
#include "assay/history/trend.hpp"
#include "assay/report/history_text.hpp"

namespace assay::history {
namespace {

using Status = HistoryStep::Status;

/// Twenty commits after the reference; those from `step` on are changed by `change`, and each value is known
/// to ± half.
History history_of(double change, int step, double half) {
  History history{.title = "towpath", .reference = "v1.0", .branch = "main"};
  MeasuredValues archive;
  archive.metrics["wall time"] = {.name = "wall time", .unit = "s"};
  std::map<std::string, std::size_t> places;
  for (int i = 0; i <= 20; ++i) {
    const auto id = "c" + std::to_string(i);
    places[id] = static_cast<std::size_t>(i);
    history.commits.push_back({.id = id, .subject = "commit"});
    if (i == 0) continue;
    const double value = (i >= step ? 1 + change : 1) + 0.0002 * (i % 3);
    archive.values.push_back({.commit = id,
                              .where = {"orders", "", "wall time"},
                              .definition = "w",
                              .environment = "here",
                              .machine = "here",
                              .campaign = "u",
                              .effect = {Scale::ratio, value},
                              .interval = {value * (1 - half), value * (1 + half)},
                              .rounds = 8,
                              .started = 1});
  }
  history.lines.push_back(make_line(archive, {"orders", "", "wall time"}, "w", places, "here", 0.01));
  return history;
}

GateStatus gate_of(const History& history, double allow = 0.02) {
  return evaluate_gate(history, {.allow = allow}, 10).result.status;
}

/// The history's one step, as a campaign of its own told it.
History told(double low, double high, Status status) {
  auto history = history_of(0.05, 15, 0.005);
  auto& step = history.lines[0].steps.at(0);
  step.status = status;
  step.effect = {Scale::ratio, 0.5 * (low + high)};
  step.measured = CommitsCompared{
      .verdict = Verdict::worse, .effect = step.effect, .interval = {low, high}, .rounds = 10};
  return history;
}

TEST(HistoryGate, FailsOnlyWhereTheWholeIntervalOfAConfirmedStepLiesBeyond) {
  EXPECT_EQ(gate_of(told(1.03, 1.06, Status::confirmed)), GateStatus::failed);
  EXPECT_EQ(gate_of(told(1.01, 1.04, Status::confirmed)), GateStatus::undecided)
      << "an estimate beyond what is allowed is not enough";
  EXPECT_EQ(gate_of(told(1.005, 1.015, Status::confirmed)), GateStatus::passed);
  EXPECT_EQ(gate_of(told(1.03, 1.06, Status::open)), GateStatus::undecided);
  EXPECT_EQ(gate_of(told(1.03, 1.06, Status::confirmed), 0.1), GateStatus::passed);
}

TEST(HistoryGate, PassesOnlyByAnIntervalThatWasMeasured) {
  EXPECT_EQ(gate_of(history_of(0, 99, 0.005)), GateStatus::passed);
  const auto wide = evaluate_gate(history_of(0, 99, 0.05), {.allow = 0.02}, 10);
  EXPECT_EQ(wide.result.status, GateStatus::undecided);
  const auto& reason = wide.result.reasons.at(0);
  EXPECT_LT(reason.interval.low, reason.effect.value);
  EXPECT_GT(reason.interval.high, 1.02) << "the end that is printed is that of an interval";
  auto without = history_of(0, 99, 0.005);
  without.lines[0].points.pop_back();
  EXPECT_EQ(gate_of(without), GateStatus::undecided) << "the newest commit has no value";
}

TEST(HistoryLevel, CoversTheLevelSinceTheLastStep) {
  const auto history = history_of(0.17, 15, 0.04);
  const auto& line = history.lines[0];
  ASSERT_EQ(line.levels.size(), 2U);
  const auto& now = line.levels.back();
  EXPECT_TRUE(now.interval.contains(1.17)) << now.interval.low << " … " << now.interval.high;
  EXPECT_LT(now.interval.high - now.interval.low, 0.06) << "six commits tell more than one";
  const auto said = report::sentences_of(history, line);
  EXPECT_THAT(said.back().text, testing::HasSubstr("now +17 % (+"));
  EXPECT_THAT(said.back().text, testing::HasSubstr("at the last 6 commits, up to c20"));
}

}  // namespace
}  // namespace assay::history
