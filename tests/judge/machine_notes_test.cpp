#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>

#include "assay/judge/judge.hpp"
#include "support/records.hpp"

namespace assay::judge {
namespace {

/// Two candidates of one second each, ten rounds, on two cores; every counted trial has these readings too.
Record record_with(const std::vector<std::pair<std::string, double>>& readings) {
  auto record = test::record_of({std::vector<double>(10, 1.0), std::vector<double>(10, 1.0)});
  record.log.sessions[SessionId{0}].facts = {{"cores", "2"}};
  for (const auto& [name, value] : readings) {
    const auto id = record.design.metrics.add(
        {.name = name, .direction = Direction::neither, .subject = MetricSubject::machine});
    for (auto& trial : record.log.trials) trial.readings.push_back({id, value});
  }
  return record;
}

/// The note that says this, or nullptr.
const Note* note_in(const Findings& findings, const std::string& text) {
  const auto found = std::ranges::find_if(findings.notes, [&](const Note& n) {
    return report::note_text(findings.design, n).text.find(text) != std::string::npos;
  });
  return found == findings.notes.end() ? nullptr : &*found;
}

struct Threshold {
  const char* metric;
  double below, above;  ///< readings just on either side
  const char* said;
};

class MachineNote : public testing::TestWithParam<Threshold> {};

TEST_P(MachineNote, AppearsJustAboveItsThresholdOnly) {
  const auto& [metric, below, above, said] = GetParam();
  EXPECT_EQ(note_in(judge_record(record_with({{metric, below}})), said), nullptr);
  const auto findings = judge_record(record_with({{metric, above}}));
  const auto* note = note_in(findings, said);
  ASSERT_NE(note, nullptr);
  ASSERT_TRUE(note->value && note->threshold);
  EXPECT_GT(*note->value, *note->threshold);
}

INSTANTIATE_TEST_SUITE_P(
    UnclippedTest, MachineNote,
    testing::Values(Threshold{"stolen time", 0.099, 0.101, "its host took 5.05 % of its CPU time"},
                    Threshold{"time of others", 0.199, 0.202, "other programs used 10.1 % of its CPU time"},
                    Threshold{"load", 2.0, 2.1, "a load of 2.1 was on its 2 cores"},
                    Threshold{"throttlings", 0, 1, "its cores throttled 20 times"},
                    Threshold{"on battery", 0, 1, "it ran on battery"},
                    Threshold{"kept warm", 0.01, 0.011, "up to 1.1 % stayed in the page cache"},
                    Threshold{"counted share", 0.91, 0.89, "took turns and were on for 89 % of the time"}));

TEST(MachineNotes, NeitherOthersNorTheHostAreReportedOfAroundVeryShortTrials) {
  auto record = record_with({{"time of others", 0.015}, {"stolen time", 0.015}});
  const auto scale = [&](double wall) {
    for (auto& trial : record.log.trials) trial.readings[0].value = wall;
  };
  scale(0.0199);
  EXPECT_EQ(note_in(judge_record(record), "other programs"), nullptr);
  EXPECT_EQ(note_in(judge_record(record), "its host"), nullptr);
  scale(0.02);
  EXPECT_NE(note_in(judge_record(record), "other programs"), nullptr);
  EXPECT_NE(note_in(judge_record(record), "its host"), nullptr);
}

TEST(MachineNotes, AFrequencyThatVariesIsNoted) {
  auto record = record_with({{"core frequency", 2e9}});
  const auto set_last = [&](double hz) { record.log.trials.back().readings.back().value = hz; };
  set_last(2.19e9);
  EXPECT_EQ(note_in(judge_record(record), "frequency varied"), nullptr);
  set_last(2.21e9);
  EXPECT_NE(note_in(judge_record(record), "frequency varied by 10.5 %"), nullptr);
}

TEST(MachineNotes, SharesAreOfAllTrialsTogetherNotOfEach) {
  auto record = record_with({{"stolen time", 0}});
  record.log.trials.back().readings.back().value = 1;  // a lot in one, little over all
  EXPECT_EQ(note_in(judge_record(record), "its host took"), nullptr);
}

TEST(MachineNotes, TimeOfUnwaitedChildrenInAnyCheckIsNoted) {
  auto record = record_with({{"unseen cpu time", 0}});
  for (auto& trial : record.log.trials) trial.readings.pop_back();
  EXPECT_EQ(note_in(judge_record(record), "did not wait for"), nullptr);
  Trial check{.cell = {1}, .role = Role::check};
  check.readings = {{MetricId{1}, 0.25}};
  record.log.trials.push_back(check);
  const auto findings = judge_record(record);
  const auto* note =
      note_in(findings, "0.25 s of CPU time belong to children that their parents did not wait for");
  ASSERT_NE(note, nullptr);
  EXPECT_EQ(std::get<CellId>(note->subject), CellId{1});
}

TEST(MachineNotes, LargeOutputIsNotedByWhatItCosts) {
  auto record = record_with({});
  const auto set = [&](std::uint64_t bytes) {
    for (auto& trial : record.log.trials)
      if (trial.cell == CellId{1}) trial.output_bytes = bytes;
  };
  set(16'600'000);  // at 0.6 ns a byte 9.96 ms of a second
  EXPECT_EQ(note_in(judge_record(record), "writing its output"), nullptr);
  set(16'800'000);
  EXPECT_NE(note_in(judge_record(record), "writing its output takes about 1.01 % of its wall time"), nullptr);
}

TEST(MachineNotes, VoidTrialsAreCountedAndDoNotCountAsFailures) {
  auto record = record_with({});
  auto& trial = record.log.trials.back();
  trial.outcome = Outcome::discarded;
  trial.detail = "the machine slept during this trial";
  const auto findings = judge_record(record);
  EXPECT_NE(note_in(findings, "1 trials are void: the machine slept"), nullptr);
  EXPECT_EQ(note_in(findings, "failed in"), nullptr);
  EXPECT_EQ(findings.findings.at(0).rounds, 9U);
}

/// Ten judged rounds abreast with a ratio of 1.10, and control rounds in turns with these ratios.
Findings abreast_with(const std::vector<double>& in_turns) {
  std::vector<double> a(10, 1.0), b(10);
  for (std::size_t i = 0; i < b.size(); ++i) b[i] = 1.1 * (1 + 0.001 * static_cast<double>(i));
  auto record = test::record_of({a, b}, "cpu time");
  record.design.rules.way = Way::abreast;
  int number = 100;
  for (const double ratio : in_turns) {
    auto& round = record.log.rounds.emplace_back();
    round.number = ++number;
    round.state = RoundState::complete;
    round.order = {{0}, {1}};
    for (const auto& [cell, value] : {std::pair{CellId{0}, 1.0}, {CellId{1}, ratio}}) {
      Trial trial{.cell = cell, .round = number, .role = Role::control};
      trial.readings = {{MetricId{0}, value}};
      record.log.trials.push_back(trial);
    }
  }
  return judge_record(record);
}

TEST(AbreastNote, GivenWhenTheIntervalsDoNotTouch) {
  constexpr const char* said = "they get in each other's way";
  EXPECT_EQ(note_in(abreast_with({1.10, 1.11, 1.105}), said), nullptr);
  const auto findings = abreast_with({1.00, 1.01, 1.005});
  const auto* note = note_in(findings, said);
  ASSERT_NE(note, nullptr);
  EXPECT_EQ(note->kind, NoteKind::concurrency_bias);
  // The judged interval begins at 1.1007; Student's at three rounds is about 2.48 standard deviations wide.
  EXPECT_EQ(note_in(abreast_with({1.07, 1.08, 1.09}), said), nullptr);
  EXPECT_NE(note_in(abreast_with({1.06, 1.07, 1.065}), said), nullptr);
  EXPECT_EQ(note_in(abreast_with({1.00, 1.01}), said), nullptr) << "two rounds tell nothing";
  EXPECT_NE(note_in(abreast_with({1.00, 1.01, 1.005, 1.002, 1.004, 1.09}), said), nullptr)
      << "from six on the signed-rank interval, here the whole range";
  EXPECT_EQ(note_in(abreast_with({1.00, 1.01, 1.005, 1.002, 1.004, 1.12}), said), nullptr);
}

TEST(AbreastNote, ControlRoundsAreNotJudged) {
  const auto findings = abreast_with({5, 5, 5, 5, 5, 5, 5});
  EXPECT_EQ(findings.findings.at(0).rounds, 10U);
  EXPECT_LT(findings.findings[0].effect.value, 1.2);
}

}  // namespace
}  // namespace assay::judge
