#include "assay/engine/way_chooser.hpp"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>
#include <cstdlib>
#include <map>

#include "assay/engine/campaign_runner.hpp"
#include "assay/engine/stop_policy.hpp"
#include "assay/judge/judge.hpp"
#include "assay/metrics/catalogue.hpp"
#include "assay/stats/random.hpp"
#include "support/observing.hpp"

namespace assay::engine {
namespace {

using test::Observing;

/// Two programs on a machine that is made up: their times, what they wait for, and what running at once does
/// to them.
struct Machine : TrialRunner {
  double seconds[2] = {0.1, 0.1};
  double cores = 1, waits = 0, core_wait = 0;  ///< shares of their time
  double noise_in_turns = 0.1, noise = 0.01;   ///< of a program's time, standard deviation of its logarithm
  double distortion = 0;                       ///< of the second, at once, as a log ratio
  bool fails_at_once = false, writes = false;
  std::uint64_t seed = 1;
  std::set<Way> ways = {Way::turns, Way::abreast, Way::slices};
  std::vector<std::pair<Role, Way>> ran;
  double now = 0;

  Trial trial_of(CellId cell, Role role, Way way) {
    const auto i = static_cast<std::size_t>(cell.value);
    const bool at_once = way != Way::turns;
    const double sd = at_once ? noise : noise_in_turns;
    const double disturbed =
        std::exp(sd * stats::Random(seed, ++drawn_).normal() + (at_once && i == 1 ? distortion : 0));
    const double cpu = seconds[i] * disturbed * cores;
    Trial trial{.cell = cell, .role = role};
    const double wall = seconds[i] * disturbed / (1 - waits - core_wait);
    trial.readings = {{MetricId{0}, wall}, {MetricId{1}, cpu}, {MetricId{2}, wall * core_wait}};
    if (at_once && way == Way::abreast) trial.readings.erase(trial.readings.begin());
    if (at_once && fails_at_once) trial.outcome = Outcome::discarded;
    now += seconds[i];
    return trial;
  }
  Trial check(CellId cell, std::optional<CellId>, const std::stop_token&) override {
    return trial_of(cell, Role::check, Way::turns);
  }
  std::vector<Trial> run(const Batch& batch, const std::stop_token&) override {
    std::vector<Trial> trials;
    ran.emplace_back(batch.role, batch.way);
    for (const auto cell : batch.cells) {
      auto trial = trial_of(cell, batch.role, batch.way);
      trial.round = batch.round;
      trial.batch = batch.number;
      trial.position = batch.position + static_cast<int>(trials.size());
      trials.push_back(std::move(trial));
    }
    return trials;
  }
  bool runs_in_batch(CellId) const override { return false; }
  bool allows_repeats(CellId) const override { return true; }
  bool can_run(CellId, Way way) const override { return ways.contains(way); }
  bool writes_files(CellId cell) const override { return writes && cell == CellId{1}; }
  bool needs_final_check(CellId) const override { return false; }

 private:
  std::uint64_t drawn_ = 0;
};

Record two_programs(Way way = Way::automatic) {
  Record record;
  auto& design = record.design;
  design.rules = {.margin = 0.01, .rounds_min = 8, .rounds_max = 60, .way = way};
  design.candidates = {{.name = "list"}, {.name = "heap", .baseline = CandidateId{0}}};
  design.workloads = {{.name = "orders"}};
  design.cells = {{CandidateId{0}, WorkloadId{0}}, {CandidateId{1}, WorkloadId{0}}};
  design.comparisons = {{CellId{0}, CellId{1}}};
  using enum metrics::MetricKind;
  for (const auto kind : {wall_time, cpu_time, core_wait})
    design.metrics.add(metrics::metric_info(kind).metric);
  design.metrics[MetricId{0}].request.watched = design.metrics[MetricId{1}].request.watched = true;
  design.metrics[MetricId{1}].supporting = true;
  record.log.sessions.add(Session{});
  return record;
}

/// What a campaign on this machine came to.
struct Measured {
  Findings findings;
  Record record;
};

Measured measure(Machine& machine, std::optional<double> budget = 60) {
  Recorder recorder(two_programs(), {});
  Observing observing;
  CampaignRunner campaign(recorder, machine, observing, {}, [&] { return machine.now; });
  auto findings = campaign.run(*until_decided(60, budget), false);
  return {std::move(findings), recorder.record()};
}

WayChoice choice_on(Machine& machine, std::optional<double> budget = 60) {
  const auto ways = measure(machine, budget).record.log.ways;
  return ways.size() == 1 ? ways.front() : WayChoice{.workload = WorkloadId{99}};
}

TEST(WayChooser, OneCoreProgramsRunAbreastWhereThatIsSteadier) {
  Machine busy;
  const auto choice = choice_on(busy);
  EXPECT_EQ(choice.way, Way::abreast);
  EXPECT_EQ(choice.reason, WayReason::steadier);
  EXPECT_LT(choice.spread, 0.75 * choice.spread_in_turns);
  int pilots_in_turns = 0, pilots_abreast = 0;
  for (const auto& [role, way] : busy.ran) {
    pilots_in_turns += role == Role::pilot && way == Way::turns;
    pilots_abreast += role == Role::pilot && way == Way::abreast;
    if (role == Role::measured) EXPECT_EQ(way, Way::abreast);
    if (role == Role::control || role == Role::warm_up) EXPECT_EQ(way, Way::turns);
  }
  EXPECT_EQ(pilots_in_turns, 2 * WayChooser::pilots_each);
  EXPECT_EQ(pilots_abreast, WayChooser::pilots_each);
}

TEST(WayChooser, ProgressTellsWhatARoundIsFor) {
  Machine busy;
  Recorder recorder(two_programs(), {});
  Observing observing;
  std::vector<Role> shown, ran;
  std::map<double, double> ends;  // as foreseen at a time
  observing.when_progress = [&](const Progress& progress) {
    if (progress.phase == Progress::Phase::measuring) shown.push_back(progress.role);
    if (progress.seconds_left) ends[busy.now] = busy.now + *progress.seconds_left;
  };
  CampaignRunner(recorder, busy, observing, {}, [&] { return busy.now; }).run(*fixed_rounds(20), false);
  for (const auto& [role, way] : busy.ran) ran.push_back(role);
  EXPECT_EQ(shown, ran);
  EXPECT_THAT(shown, testing::IsSupersetOf({Role::warm_up, Role::pilot, Role::measured}));
  EXPECT_GT(ends.size(), 20U);
  for (const auto& [at, end] : ends)
    EXPECT_NEAR(end, busy.now, 0.5) << "foreseen after " << at << " s, when rounds take 0.2 s or 0.3 s";
}

TEST(WayChooser, ShortProgramsAreWarmedUpOftenEnoughToTellWhatTheyWaitFor) {
  const auto warm_ups = [](double seconds) {
    Machine machine;
    machine.seconds[0] = machine.seconds[1] = seconds;
    const auto record = measure(machine).record;
    return std::ranges::count(record.log.trials, Role::warm_up, &Trial::role);
  };
  EXPECT_EQ(warm_ups(0.1), 2);
  EXPECT_EQ(warm_ups(0.005), 6);
  Machine machine;
  machine.seconds[0] = machine.seconds[1] = 0.005;
  auto record = two_programs();
  record.log.ways = {{.workload = WorkloadId{0}, .way = Way::abreast, .reason = WayReason::asked}};
  Recorder recorder(std::move(record), {});
  Observing observing;
  CampaignRunner(recorder, machine, observing, {}, [&] { return machine.now; }).run(*fixed_rounds(6), false);
  EXPECT_EQ(std::ranges::count(recorder.log().trials, Role::warm_up, &Trial::role), 2) << "the way is known";
}

TEST(WayChooser, WithoutTimeForPilotsABusyMachineMeansAbreastWithControls) {
  Machine machine;
  machine.core_wait = 0.5;
  const auto measured = measure(machine, 4.5);
  ASSERT_EQ(measured.record.log.ways.size(), 1U);
  EXPECT_EQ(measured.record.log.ways.front().way, Way::abreast);
  EXPECT_EQ(measured.record.log.ways.front().reason, WayReason::busy);
  int controls = 0;
  for (const auto& [role, way] : machine.ran) {
    EXPECT_NE(role, Role::pilot);
    controls += role == Role::control ? 1 : 0;
    if (role == Role::measured) EXPECT_EQ(way, Way::abreast);
  }
  EXPECT_GE(controls, 3);
  machine = {};
  machine.core_wait = 0.5;
  machine.cores = 3;
  EXPECT_EQ(choice_on(machine, 4.5).reason, WayReason::no_time) << "slices have to be tried";
}

TEST(WayChooser, FindingsTellWhatKindEachProgramIs) {
  const auto kind_of = [](double cores, double waits) {
    Machine machine;
    machine.cores = cores;
    machine.waits = waits;
    return measure(machine).findings.programs.at(CellId{1}).kind();
  };
  EXPECT_EQ(kind_of(1, 0), ProgramKind::one_core);
  EXPECT_EQ(kind_of(1.8, 0), ProgramKind::many_cores);
  EXPECT_EQ(kind_of(1, 0.05), ProgramKind::waits);
  EXPECT_EQ(kind_of(1, 0.02), ProgramKind::one_core) << "less than 3 %";
}

TEST(WayChooser, RunsInTurnsForEachReason) {
  const auto reason_where = [](const std::function<void(Machine&)>& change,
                               std::optional<double> budget = 60) {
    Machine machine;
    change(machine);
    const auto choice = choice_on(machine, budget);
    EXPECT_EQ(choice.way, Way::turns);
    return choice.reason;
  };
  EXPECT_EQ(reason_where([](Machine& m) { m.noise = 10 * m.noise_in_turns; }), WayReason::no_gain);
  EXPECT_EQ(reason_where([](Machine& m) { m.waits = 0.1; }), WayReason::waits);
  EXPECT_EQ(reason_where([](Machine& m) { m.core_wait = 0.1; }, 4.5), WayReason::no_time);
  EXPECT_EQ(reason_where([](Machine& m) { m.writes = true; }), WayReason::writes);
  EXPECT_EQ(reason_where([](Machine& m) { m.seconds[1] = 0.35; }), WayReason::unlike_costs);
  EXPECT_EQ(reason_where([](Machine& m) { m.fails_at_once = true; }), WayReason::fails_at_once);
  EXPECT_EQ(reason_where([](Machine&) {}, 4.5), WayReason::no_time)
      << "6 rounds of 0.2 s are more than a quarter";
  EXPECT_EQ(reason_where([](Machine& m) {
              m.noise_in_turns = 0.01;
              m.noise = 0.001;
              m.distortion = 0.3;
            }),
            WayReason::disagrees);
}

TEST(WayChooser, SeveralCoresRunInSlices) {
  Machine machine;
  machine.cores = 1.8;
  EXPECT_EQ(choice_on(machine).way, Way::slices);
  machine = {};
  machine.ways = {Way::turns, Way::slices};  // something is asked for that programs abreast don't have
  EXPECT_EQ(choice_on(machine).way, Way::slices);
  machine = {};
  machine.ways = {Way::turns};
  EXPECT_EQ(choice_on(machine).workload, WorkloadId{99}) << "there is nothing to choose";
  for (const auto& [role, way] : machine.ran) EXPECT_EQ(way, Way::turns);
}

TEST(WayChooser, PilotsAreNotJudged) {
  Machine machine;
  const auto measured = measure(machine);
  ASSERT_EQ(measured.findings.findings.size(), 1U) << "abreast there is no wall time";
  EXPECT_EQ(measured.findings.metric_of(measured.findings.findings[0]).name, "cpu time");
  std::size_t judged = 0;
  for (const auto& round : measured.record.log.rounds) judged += round.role == Role::measured ? 1 : 0;
  EXPECT_EQ(measured.findings.findings[0].rounds, judged);
  EXPECT_EQ(measured.findings.wall_in_turns.size(), 2U);
}

TEST(WayChooser, ADistortionThatComesLaterIsNoted) {
  Machine machine;
  machine.noise_in_turns = 0.004;
  machine.noise = 0.001;
  machine.distortion = 0.009;  // below the margin: it is let pass when choosing
  const auto findings = measure(machine).findings;
  EXPECT_EQ(std::ranges::count(findings.notes, NoteKind::concurrency_bias, &Note::kind), 1);
}

/// Whatever the machine: of campaigns in which nothing differs, at most 5 % call a change, the choice of the
/// way included. ASSAY_CAMPAIGNS: how many of each, by hand.
TEST(WayChooser, TheErrorRateHoldsWithTheChoice) {
  const char* asked = std::getenv("ASSAY_CAMPAIGNS");
  const int campaigns = asked != nullptr ? std::atoi(asked) : 12;
  int called = 0, abreast = 0, all = 0;
  for (const double noise : {0.005, 0.07, 0.1, 0.3})
    for (int i = 0; i < campaigns; ++i) {
      Machine machine;
      machine.noise = noise;
      machine.seed = static_cast<std::uint64_t>(1000 * i) + static_cast<std::uint64_t>(noise * 1000);
      const auto measured = measure(machine, 20);
      abreast += measured.record.log.ways.at(0).way == Way::abreast ? 1 : 0;
      called += std::ranges::any_of(measured.findings.findings,
                                    [](const Finding& f) { return f.decided && is_change(f.verdict); });
      ++all;
    }
  RecordProperty("called", called);
  if (asked != nullptr) std::printf("%d of %d called, %d abreast\n", called, all, abreast);
  EXPECT_GT(abreast, all / 4);
  EXPECT_LT(abreast, all);
  // Of 48; 13 or more come by chance once in 2e-7 (binomial).
  if (asked == nullptr) EXPECT_LE(called, 12);
}

TEST(IsSteadier, BelowThreeQuartersOfInTurnsAndTheFewerTheComparisonsTheMoreTheUsualCounts) {
  EXPECT_TRUE(is_steadier(0.1, 0.139, 1)) << "0.75² / 0.4 is 1.406";
  EXPECT_FALSE(is_steadier(0.1, 0.142, 1));
  EXPECT_TRUE(is_steadier(0.1, 0.0761, 40)) << "(0.75⁴¹ / 0.4)^(1/40) is 0.762";
  EXPECT_FALSE(is_steadier(0.1, 0.0763, 40));
  EXPECT_FALSE(is_steadier(0, 0.1, 1));
  EXPECT_TRUE(is_steadier(0.1, 0, 1));
}

TEST(WaysDisagree, ByWelchsTestAndTheMargin) {
  // R: t.test(c(0.01,0.02,0.03), c(0.11,0.12,0.125))$p.value is 0.0002583146; of c(0.05,0.09,0.02) and it
  // 0.07891444
  const std::vector<double> a = {0.01, 0.02, 0.03}, b = {0.11, 0.12, 0.125}, c = {0.05, 0.09, 0.02};
  EXPECT_TRUE(ways_disagree(a, b, 0.01, 0.0002584));
  EXPECT_FALSE(ways_disagree(a, b, 0.01, 0.0002582));
  EXPECT_TRUE(ways_disagree(c, b, 0.01, 0.07892));
  EXPECT_FALSE(ways_disagree(c, b, 0.01, 0.07891));
  EXPECT_FALSE(ways_disagree(a, b, 0.1, 0.01)) << "within the margin";
  EXPECT_FALSE(ways_disagree({0.1}, b, 0.01, 0.01)) << "one value shows nothing";
  EXPECT_TRUE(ways_disagree({0.1, 0.1}, {0.2, 0.2}, 0.01, 0.01));
}

}  // namespace
}  // namespace assay::engine
