#include "assay/judge/machines.hpp"

#include <gmock/gmock.h>

#include <cmath>
#include <map>

#include "assay/judge/gate.hpp"
#include "assay/judge/judge.hpp"
#include "assay/judge/paired_series.hpp"
#include "assay/report/advice.hpp"
#include "assay/report/machines_text.hpp"
#include "support/records.hpp"
#include "support/series.hpp"

namespace assay::judge {
namespace {

using testing::Contains;
using testing::HasSubstr;
using testing::IsEmpty;

/// One of several machines: how many times as long everything takes there, how much its trials scatter, and
/// how many times as long the candidate takes there.
struct Computer {
  double slower = 1, noise = 0.01, change = 1;
};

/// A campaign whose rounds these machines ran in turns, of list and its rival at about 0.4 s.
Record measured_by(const std::vector<Computer>& machines, std::size_t rounds, std::uint64_t seed = 3) {
  stats::Random random(seed);
  std::vector<std::vector<double>> values(2);
  for (std::size_t r = 0; r < rounds; ++r) {
    const auto& machine = machines[r % machines.size()];
    for (auto* side : {&values[0], &values[1]})
      side->push_back(0.4 * machine.slower * (side == &values[0] ? 1 : machine.change) *
                      std::exp(machine.noise * random.normal()));
  }
  auto record = test::record_of(values);
  test::run_on_machines(record, machines.size());
  return record;
}

Finding first_finding(const Record& record) { return judge_record(record).findings.at(0); }

std::string text_of(const Record& record) {
  const auto findings = judge_record(record);
  return report::machines_text(findings, findings.findings.at(0));
}

TEST(Machines, OneIsJudgedAsItWas) {
  auto record = measured_by({{}}, 20);
  const auto before = first_finding(record);
  EXPECT_THAT(before.machines, IsEmpty());
  EXPECT_FALSE(before.machines_p);
  for (auto& trial : record.log.trials) trial.session = SessionId{0};
  record.log.sessions.add(Session{.machine = MachineId{41}, .boot = {}, .facts = {}});  // it ran no round
  const auto after = first_finding(record);
  EXPECT_EQ(after.effect.value, before.effect.value);
  EXPECT_EQ(after.p, before.p);
  EXPECT_THAT(after.machines, IsEmpty());
  EXPECT_EQ(text_of(record), "");
}

TEST(Machines, OfUnlikeSpeedFindWhatOneFinds) {
  const auto finding = first_finding(measured_by({{1}, {3}, {1.03}}, 24));
  const auto changed = first_finding(measured_by({{1, 0.01, 0.95}, {3, 0.01, 0.95}, {1.03, 0.01, 0.95}}, 24));
  EXPECT_FALSE(is_change(finding.verdict));
  EXPECT_EQ(changed.verdict, Verdict::better);
  EXPECT_NEAR(changed.effect.value, 0.95, 0.01);
  EXPECT_NEAR(changed.baseline_typical, 0.4, 0.01) << "as on machine 1";
  ASSERT_EQ(changed.machines.size(), 3U);
  for (const auto& machine : changed.machines) {
    EXPECT_EQ(machine.rounds, 8U);
    EXPECT_NEAR(machine.effect.value, 0.95, 0.02);
    ASSERT_TRUE(machine.interval);
    EXPECT_TRUE(machine.interval->contains(machine.effect.value));
  }
  EXPECT_GT(changed.machines_p, 0.01);
}

/// What keeps a test by swaps exact: a level does not depend on which of a round's two values is whose, and a change of the
/// candidate moves no baseline against another.
TEST(Machines, LevelsAreNotMovedBySwapsNorByAChange) {
  const auto record = measured_by({{1}, {3}, {1.1}}, 21);
  const Observations evidence(record.design, record.log);
  const auto& metric = record.design.metrics[MetricId{0}];
  const auto series = make_pairs(evidence, record.design.comparisons.at(0), MetricId{0});
  ASSERT_EQ(series.machines.size(), 21U);
  const auto levelled = on_one_level(series, 21, metric);
  auto swapped = series, changed = series;
  for (std::size_t i = 0; i < 21; i += 2) std::swap(swapped.baseline[i], swapped.candidate[i]);
  for (auto& value : changed.candidate) value *= 1.3;
  const auto of_swapped = on_one_level(swapped, 21, metric), of_changed = on_one_level(changed, 21, metric);
  for (std::size_t i = 0; i < 21; ++i) {
    EXPECT_EQ(of_swapped.baseline[i], i % 2 == 0 ? levelled.candidate[i] : levelled.baseline[i]);
    EXPECT_NEAR(of_changed.baseline[i], levelled.baseline[i], 1e-12);
    EXPECT_NEAR(of_changed.candidate[i], 1.3 * levelled.candidate[i], 1e-12);
  }
}

/// One round of a machine says nothing of it, however far out it lies.
TEST(Machines, ThatHaveTooFewRoundsAreNotNamedWhereOthersDisagree) {
  auto record = measured_by({{1, 0.003, 0.90}, {2, 0.003, 1.02}}, 25);
  Session third;
  third.machine = MachineId{77};
  const auto own = record.log.sessions.add(third);
  auto& last = record.log.rounds.back();
  last.session = own;
  for (auto& trial : record.log.trials)
    if (trial.round == last.number && trial.cell.value == 1) trial.readings.front().value *= 9;
  const auto text = text_of(record);
  EXPECT_THAT(text, HasSubstr("the machines disagree: −10"));
  EXPECT_THAT(text, HasSubstr(", 1 on 3"));
  EXPECT_THAT(text, testing::Not(HasSubstr("× 8"))) << text;
  EXPECT_THAT(text, testing::Not(HasSubstr("on 3 ("))) << text;
}

TEST(Machines, AreNamedWithTheirRounds) {
  const auto text = text_of(measured_by({{1, 0.01, 0.95}, {3, 0.01, 0.95}}, 21));
  EXPECT_EQ(text, "21 rounds: 11 on machine 1, 10 on 2; faster on each");
  EXPECT_THAT(text_of(measured_by(std::vector<Computer>(8), 20)),
              HasSubstr("20 rounds: 2 to 3 on each of 8 machines"));
}

TEST(Machines, ShareWhatMoreRoundsTake) {
  const auto findings = judge_record(measured_by({{1, 0.05}, {1, 0.05}}, 24));
  EXPECT_THAT(report::rounds_needed_text(findings, findings.findings.at(0)),
              HasSubstr(", on 2 machines about "));
}

TEST(Machines, ThatDisagreeGetNoVerdict) {
  const auto record = measured_by({{1, 0.003, 0.90}, {2, 0.003, 1.02}}, 24);
  const auto finding = first_finding(record);
  EXPECT_EQ(finding.verdict, Verdict::unclear);
  EXPECT_TRUE(finding.machines_disagree());
  EXPECT_LE(finding.machines_p, machines_differ_at);
  const auto text = text_of(record);
  EXPECT_THAT(text, HasSubstr("the machines disagree: −10"));
  EXPECT_THAT(text, HasSubstr("% on machine 1 ("));
  EXPECT_THAT(text, HasSubstr(", +2"));
  EXPECT_EQ(evaluate_gate(finding, record.design.metrics[MetricId{0}], 0.01), GateStatus::undecided);
}

/// Inside the margin of 1 % on one of them: nothing opposes the change of the other.
TEST(Machines, ThatDoNotOpposeEachOtherKeepTheVerdictAndASentence) {
  const auto record = measured_by({{1, 0.003, 0.90}, {2, 0.003, 0.97}}, 24);
  const auto findings = judge_record(record);
  const auto& finding = findings.findings.at(0);
  EXPECT_EQ(finding.verdict, Verdict::better);
  EXPECT_EQ(std::ranges::count(finding.notes, NoteKind::machines_differ, &Note::kind), 1);
  EXPECT_THAT(report::machines_text(findings, finding),
              HasSubstr("not the same change on each machine: from −10"));
}

TEST(Machines, OneBeyondTheMarginForbidsTheSame) {
  const auto finding = first_finding(measured_by({{1, 0.001, 1}, {1, 0.001, 1}, {1, 0.001, 1.013}}, 60));
  EXPECT_EQ(finding.verdict, Verdict::unclear);
  EXPECT_TRUE(finding.machines_disagree());
  EXPECT_EQ(first_finding(measured_by({{1, 0.001}, {2, 0.001}}, 60)).verdict, Verdict::same);
}

TEST(Machines, WithFewRoundsSayNothingOfWhetherTheyDiffer) {
  const auto finding = first_finding(measured_by({{1, 0.003, 0.9}, {2, 0.003, 1.02}, {1, 0.003, 0.9}}, 9));
  EXPECT_EQ(finding.machines.size(), 3U);
  EXPECT_FALSE(finding.machines_p);
  EXPECT_FALSE(finding.machines_disagree());
}

/// The values of three machines, three to one apart, look like modes, a drift, outliers and slow first runs,
/// if they are taken together as they are.
TEST(Machines, ThatAreUnlikeAreNoOddityOfTheProgram) {
  const auto findings = judge_record(measured_by({{1}, {3}, {9}}, 60));
  std::vector<std::string> seen;
  for (const auto& note : findings.notes)
    if (note.kind != NoteKind::first_run)  // the records' first run is a slow one
      seen.push_back(report::note_text(findings.design, note).text);
  EXPECT_THAT(seen, IsEmpty());
  EXPECT_THAT(findings.spreads, IsEmpty());
}

TEST(Machines, EachHasToMeetARequirement) {
  auto record = measured_by({{1}, {2}}, 24);
  record.design.metrics[MetricId{0}].request.require = parse_requirement("< 500 ms");
  const auto requirements = judge_record(record).requirements;
  ASSERT_EQ(requirements.size(), 2U);
  for (const auto& found : requirements) {
    EXPECT_EQ(found.status, RequirementFinding::Status::violated) << "it takes 800 ms on machine 2";
    EXPECT_EQ(found.machine, 2);
    EXPECT_NEAR(found.typical, 0.8, 0.02);
  }
}

TEST(Machines, AreBusyEachForItself) {
  auto record = measured_by({{1}, {1}}, 24);
  const auto load = record.design.metrics.add(
      {.name = "load", .direction = Direction::neither, .subject = MetricSubject::machine});
  for (auto& trial : record.log.trials)
    trial.readings.push_back({load, trial.session.value == 0 ? 3.0 : 4.0});
  const auto findings = judge_record(record);
  std::vector<std::string> about;
  for (const auto& note : findings.notes)
    if (note.kind == NoteKind::load) about.push_back(report::note_text(findings.design, note).label);
  EXPECT_THAT(about, testing::ElementsAre("machine 1")) << "3 on 2 cores; 4 on 8 are few";
}

/// Layouts that repeat are one value on each machine, and their rounds lie on both.
TEST(Machines, LayoutsAreOneValueEachOnEachMachine) {
  PairedSeries series{.comparison = {{0}, {1}}, .replication = {1, 1, 6}};
  for (int r = 0; r < 24; ++r) {
    series.rounds.push_back(r + 2);
    series.baseline.push_back(1);
    series.candidate.push_back(1.0 + 0.01 * (r % 6));
    series.machines.push_back(r % 5 == 0 ? 1 : 0);
  }
  const MachineComparison compared(series, 24, Scale::difference);
  ASSERT_TRUE(compared.is_of_several());
  EXPECT_EQ(compared.machines()[0].rounds, 19U);
  EXPECT_EQ(compared.machines()[1].rounds, 5U);
  EXPECT_NEAR(compared.machines()[0].effect.value, 0.025, 1e-12);
  EXPECT_FALSE(compared.disagree(0.001));
}

}  // namespace
}  // namespace assay::judge
