#include <gtest/gtest.h>

#include <algorithm>
#include <optional>
#include <string>
#include <vector>

#include "assay/judge/judge.hpp"
#include "assay/judge/notes.hpp"
#include "support/made.hpp"
#include "support/noise.hpp"

namespace assay::judge {
namespace {

using test::Made;

/// A campaign of two servers of which the second has these values of a metric, round by round.
class Servers {
 public:
  Servers()
      : made_("servers"), old_(made_.cell(made_.candidate("old"))), new_(made_.cell(made_.candidate("new"))) {
    with("requests per second", test::noisy(1000, 10, 1), test::noisy(1000, 10, 2));
    with("start time", std::vector<double>(10, 0.1), std::vector<double>(10, 0.1));
  }
  Servers& with(const std::string& metric, const std::vector<double>& its, const std::vector<double>& mine) {
    const auto id = made_.metric({.name = metric, .unit = "1/s", .direction = Direction::neither}, false);
    made_.values(old_, id, its);
    made_.values(new_, id, mine);
    return *this;
  }
  Servers& with(const std::string& metric, double value) {
    return with(metric, std::vector<double>(10, 0.5), std::vector<double>(10, value));
  }
  std::optional<Note> note(NoteKind kind) {
    const auto all = judge_record(made_.record());
    const auto found = std::ranges::find(all.notes, kind, &Note::kind);
    return found == all.notes.end() ? std::nullopt : std::optional(*found);
  }
  CellId of_new() const { return new_; }

 private:
  Made made_;
  CellId old_, new_;
};

struct Case {
  const char* metric;
  NoteKind kind;
  double good, bad;
};

class LoadNote : public testing::TestWithParam<Case> {};

TEST_P(LoadNote, SpeaksBeyondItsThresholdAlone) {
  const auto& [metric, kind, good, bad] = GetParam();
  const auto with = [metric = metric, kind = kind, good = good](double value) {
    Servers servers;
    return servers.with(metric, std::vector<double>(10, good), std::vector<double>(10, value)).note(kind);
  };
  EXPECT_FALSE(with(good)) << metric;
  const auto note = with(bad);
  ASSERT_TRUE(note) << metric;
  EXPECT_EQ(note->value, bad);
  EXPECT_EQ(note->count, 1U);
  EXPECT_EQ(note->level, Note::Level::warning);
}

INSTANTIATE_TEST_SUITE_P(UnclippedTest, LoadNote,
                         testing::Values(Case{"clients busy", NoteKind::clients_idle, 0.81, 0.79},
                                         Case{"driver busy", NoteKind::driver_saturated, 0.69, 0.71},
                                         Case{"send delay p99", NoteKind::sent_late, 0.0009, 0.0011},
                                         Case{"most outstanding", NoteKind::connections_used_up, 0.99, 1},
                                         Case{"connections reopened", NoteKind::reopened, 0.009, 0.011},
                                         Case{"longest connect", NoteKind::slow_connects, 0.8, 1.0},
                                         Case{"cpu at rest", NoteKind::cpu_while_idle, 0.009, 0.011}),
                         [](const auto& tested) {
                           std::string name = tested.param.metric;
                           std::erase(name, ' ');
                           return name;
                         });

TEST(LoadNotes, LatenessCountsAgainstTheLatencyToo) {
  Servers servers;
  servers.with("latency p50", std::vector<double>(10, 0.002), std::vector<double>(10, 0.002));
  servers.with("send delay p99", std::vector<double>(10, 0.0001), std::vector<double>(10, 0.0003));
  EXPECT_EQ(servers.note(NoteKind::sent_late)->threshold, 0.0002);
}

TEST(LoadNotes, LatenessForWantOfConnectionsIsNotTheMachines) {
  Servers servers;
  servers.with("send delay p99", std::vector<double>(10, 0), std::vector<double>(10, 0.01));
  servers.with("most outstanding", 1.5);
  EXPECT_FALSE(servers.note(NoteKind::sent_late));
  EXPECT_TRUE(servers.note(NoteKind::connections_used_up));
}

TEST(LoadNotes, ADriverOnTheServersCoresIsHeldAgainstTheServersTime) {
  for (const auto& [driver, speaks] : {std::pair{0.00009, true}, {0.00004, false}}) {
    Servers servers;
    servers.with("server cpu per request", std::vector<double>(10, 0.01), std::vector<double>(10, 0.0001));
    servers.with("driver cpu per request", std::vector<double>(10, driver), std::vector<double>(10, driver));
    EXPECT_EQ(servers.note(NoteKind::driver_beside).has_value(), speaks);
  }
}

TEST(LoadNotes, SayInHowManyRoundsARateWasNotSustainedAndWarnFromHalfOn) {
  for (const std::size_t rounds : {4U, 5U}) {
    std::vector<double> shares(10, 1);
    std::fill_n(shares.begin(), rounds, 0.8);
    Servers servers;
    servers.with("rate sustained", std::vector<double>(10, 1), shares);
    const auto note = servers.note(NoteKind::rate_not_sustained);
    ASSERT_TRUE(note);
    EXPECT_EQ(note->level, rounds == 5 ? Note::Level::warning : Note::Level::note);
    EXPECT_EQ(note->high, 10);
    EXPECT_NEAR(*note->value, 1000, 5);
    EXPECT_NEAR(*note->threshold, 1250, 5);
    EXPECT_EQ(note->count, rounds);
    EXPECT_EQ(note->subject, Subject(servers.of_new()));
  }
}

TEST(LoadNotes, AChangeUnderLoadTakesTheTestAndTheMargin) {
  const auto of = [](double change, double spread) {
    Servers servers;
    return servers.with("late rate", test::noisy(1, 10, 3, spread), test::noisy(1 + change, 10, 4, spread))
        .note(NoteKind::changes_under_load);
  };
  EXPECT_NEAR(*of(-0.1, 0.01)->value, -0.1, 0.02);
  EXPECT_FALSE(of(-0.1, 0.4)) << "that may be chance";
  EXPECT_FALSE(of(-0.01, 0.001)) << "is below the margin";
}

TEST(LoadNotesSimulated, NoiseAloneSeldomLooksLikeAChangeOrStalls) {
  // 150 campaigns of two servers without either, spread by 8 % from round to round. At a true rate of 5 % for
  // each cell and note, more than 36 of 300 have a chance below 1e-6 (binomial); the seeds are fixed.
  int changes = 0, stalls = 0;
  for (unsigned i = 0; i < 150; ++i) {
    const auto noise = [&](double centre, unsigned k) { return test::noisy(centre, 10, 10 * i + k, 0.08); };
    Servers servers;
    servers.with("late rate", noise(1, 0), noise(1, 1)).with("steady rate", noise(1000, 2), noise(1000, 3));
    const auto change = servers.note(NoteKind::changes_under_load), stall = servers.note(NoteKind::stalls);
    changes += change ? static_cast<int>(change->count) : 0;
    stalls += stall ? static_cast<int>(stall->count) : 0;
  }
  EXPECT_LE(changes, 36);
  EXPECT_LE(stalls, 36);
}

TEST(LoadNotes, StallsAreWhatTheSteadyRateLeavesOut) {
  Servers stalled;
  stalled.with("steady rate", test::noisy(1000, 10, 5), test::noisy(1100, 10, 6));
  EXPECT_NEAR(*stalled.note(NoteKind::stalls)->value, 0.09, 0.01);
  EXPECT_EQ(stalled.note(NoteKind::stalls)->count, 1U);
  Servers even;
  even.with("steady rate", test::noisy(1000, 10, 5), test::noisy(1001, 10, 6));
  EXPECT_FALSE(even.note(NoteKind::stalls));
}

TEST(LoadNotes, ServersThatWereStartedOnceWereKeptUp) {
  Servers fresh;
  EXPECT_FALSE(fresh.note(NoteKind::servers_reused));
  Made made("kept");
  const auto rate = made.metric({.name = "requests per second", .direction = Direction::higher});
  const auto start = made.metric({.name = "start time", .unit = "s"}, false);
  for (const char* name : {"old", "new"}) {
    const auto cell = made.cell(made.candidate(name));
    made.around(cell, rate, 1000, 10);
    made.around(cell, start, 0.1, 10);
  }
  auto record = made.record();
  for (auto& trial : record.log.trials)
    if (trial.round != record.log.rounds.front().number)
      std::erase_if(trial.readings, [&](const Reading& reading) { return reading.metric == start; });
  const auto all = judge_record(record);
  const auto note = std::ranges::find(all.notes, NoteKind::servers_reused, &Note::kind);
  ASSERT_NE(note, all.notes.end());
  EXPECT_EQ(note->count, 2U);
}

}  // namespace
}  // namespace assay::judge
