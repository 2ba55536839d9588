#include "assay/ledger/ledger.hpp"

#include <gmock/gmock.h>
#include <gtest/gtest.h>
#include <soci/soci.h>
#include <soci/sqlite3/soci-sqlite3.h>
#include <sys/mount.h>
#include <sys/wait.h>
#include <unistd.h>

#include <cmath>
#include <fstream>
#include <iostream>
#include <sstream>

#include "assay/judge/judge.hpp"
#include "assay/ledger/session_owner.hpp"
#include "assay/model/error.hpp"
#include "support/message.hpp"
#include "support/postgres.hpp"
#include "support/records.hpp"
#include "support/stored.hpp"
#include "support/tool.hpp"

namespace assay::ledger {
namespace {

using test::EachLedger;
using test::message_of;
using test::record_of;
using test::Scratch;
using test::store;
using testing::HasSubstr;

INSTANTIATE_TEST_SUITE_P(Of, EachLedger, testing::Values("SQLite", "PostgreSQL"),
                         [](const auto& of) { return std::string(of.param); });

Record rich_record() {
  auto record = record_of({{1, 2, 3, 4, 5, 6, 7}, {1.5, 2.5, 3.5, 4.5, 5.5, 6.5, 7.5}});
  record.design.rules.seed = 4'611'686'018'427'387'903;
  for (auto& cell : record.design.cells)
    cell.setting.levels = {
        {"locks", std::int64_t{800}}, {"cache", std::string("on")}, {"deep", true}, {"share", 0.25}};
  record.design.candidates[CandidateId{1}].from = {.exe = "./a b",
                                                   .exe_digest = "d",
                                                   .identity = "v1",
                                                   .commit = "c",
                                                   .compiler = "g",
                                                   .flags = "-O2",
                                                   .commit_time = 5};
  record.design.workloads[WorkloadId{0}].weight = 2.5;
  record.log.sessions[SessionId{0}] = {.boot = "boot", .facts = {{"cores", "2"}, {"fingerprint", "f"}}};
  auto& trial = record.log.trials[5];
  trial.outcome = Outcome::signalled;
  trial.signal = 11;
  trial.detail = "ended by \"signal\"\nline two \xff";
  trial.series = {{MetricId{0}, 0.5, 3}, {MetricId{0}, {}, 4}};
  trial.output_bytes = 1ULL << 40U;
  trial.orphans = 2;
  return record;
}

TEST_P(EachLedger, GivesBackEverythingThatWasLaidDown) {
  const auto record = rich_record();
  Ledger ledger(scratch_.path("deep/folder/ledger.db"));
  const auto id = store(ledger, record);
  const auto back = Ledger(scratch_.path("deep/folder/ledger.db"), Ledger::OpenMode::existing).read(id);
  EXPECT_EQ(back.design.rules.seed, record.design.rules.seed);
  EXPECT_EQ(back.log.state, CampaignState::ended);
  EXPECT_EQ(back.design.candidates, record.design.candidates);
  EXPECT_EQ(back.design.workloads, record.design.workloads);
  EXPECT_EQ(back.design.cells, record.design.cells);
  EXPECT_EQ(back.design.comparisons, record.design.comparisons);
  EXPECT_EQ(back.design.metrics, record.design.metrics);
  EXPECT_EQ(back.log.sessions[SessionId{0}].facts, record.log.sessions[SessionId{0}].facts);
  ASSERT_EQ(back.log.rounds.size(), record.log.rounds.size());
  EXPECT_EQ(back.log.rounds[2].order, record.log.rounds[2].order);
  ASSERT_EQ(back.log.trials.size(), record.log.trials.size());
  const auto& trial = back.log.trials[5];
  EXPECT_EQ(trial.outcome, Outcome::signalled);
  EXPECT_EQ(trial.signal, 11);
  EXPECT_THAT(trial.detail, HasSubstr("\"signal\"\nline two"));
  EXPECT_EQ(trial.output_bytes, 1ULL << 40U);
  EXPECT_EQ(trial.orphans, 2);
  ASSERT_EQ(trial.series.size(), 2U);
  EXPECT_EQ(trial.series[0].at, 0.5);
  EXPECT_FALSE(trial.series[1].at);
  EXPECT_EQ(trial.readings.at(0).value, record.log.trials[5].readings.at(0).value);
}

TEST_P(EachLedger, KeepsWhatMetricsAreMissingAndHowCampaignsRan) {
  auto record = record_of({{1, 2}, {1, 2}});
  record.design.rules.way = Way::abreast;
  record.log.ways = {{.workload = {0},

                      .way = Way::slices,
                      .reason = WayReason::steadier,
                      .spread = 0.25}};
  record.design.metrics[MetricId{0}].supporting = true;
  record.design.metrics[MetricId{0}].resolution_limit = 1;
  record.design.metrics[MetricId{0}].request = {.watched = true, .margin = 0.02, .missing = "none here"};
  record.log.trials[0].role = Role::control;
  record.log.trials[1].outcome = Outcome::discarded;
  Ledger ledger(place());
  const auto back = ledger.read(store(ledger, record));
  EXPECT_EQ(back.design.rules.way, Way::abreast);
  EXPECT_EQ(back.log.ways, record.log.ways);
  EXPECT_EQ(back.design.metrics, record.design.metrics);
  EXPECT_EQ(back.log.trials[0].role, Role::control);
  EXPECT_EQ(back.log.trials[1].outcome, Outcome::discarded);
}

TEST_P(EachLedger, KeepsWhatWasSampled) {
  auto record = record_of({{0.1, 0.1, 0.1, 0.1, 0.1, 0.1, 0.1}, {0.2, 0.2, 0.2, 0.2, 0.2, 0.2, 0.2}});
  test::add_samples(record);
  Ledger ledger(place());
  const auto id = ledger.add_whole(record);
  const auto expect_kept = [&](const CodeSampleLog& back) {
    ASSERT_EQ(back.code.size(), 3U);
    EXPECT_EQ(back.code[CodeId{1}].name, "moor(int)");
    EXPECT_EQ(back.code[CodeId{1}].file, "/towpath/list");
    ASSERT_EQ(back.trials.size(), 14U);
    EXPECT_EQ(back.trials[0].counts.size(), 2U);
    EXPECT_EQ(back.trials[0].counts[1].samples, 8);
    EXPECT_EQ(back.trials[0].counts[1].library, CodeId{2});
    EXPECT_FALSE(back.trials[0].counts[0].library);
    EXPECT_EQ(back.trials[0].period, 250e-6);
    ASSERT_EQ(back.matches.size(), 2U);
    EXPECT_EQ(back.matches[1].likeness, CodeLikeness::same);
    EXPECT_EQ(back.matches[1].candidate_in_line, 16);
    EXPECT_FALSE(back.matches[0].candidate_in_line);
    EXPECT_THAT(back.remarks, testing::ElementsAre("a file was replaced"));
  };
  expect_kept(ledger.read(id).log.samples);
  ledger.set_code_samples(id, record.log.samples);
  expect_kept(ledger.read(id).log.samples);
  record.design.uid = "fedcba9876543210";
  record.design.kind = CampaignKind::where;
  record.design.confirms_uid = "0123456789abcdef";
  const auto later = ledger.add_whole(record);
  EXPECT_THAT(ledger.sampled_for(id), testing::ElementsAre(later));
  EXPECT_EQ(find_campaign(ledger.list(), "last").id, id) << "one that looks into another is named by its id";
  const std::vector<CampaignId> both = {later, id};
  ledger.remove(both);
  EXPECT_TRUE(ledger.list().empty());
  EXPECT_EQ(sql("SELECT (SELECT count(*) FROM spent) + (SELECT count(*) FROM code) + (SELECT count(*) FROM "
                "sampled)"),
            "0");
}

TEST_P(EachLedger, ASeriesOfManyThousandPointsIsKept) {
  Ledger ledger(place());
  const auto id = store(ledger, record_of({{1, 2}, {1, 2}}));
  Trial trial{.cell = {0}, .role = Role::check};
  for (int i = 0; i < 20000; ++i) trial.series.push_back({MetricId{0}, i * 0.001, 1.0 / (i + 1)});
  ledger.add_trial(id, trial);
  const auto back = ledger.read(id).log.trials.back();
  ASSERT_EQ(back.series.size(), 20000U);
  EXPECT_EQ(back.series[19999].value, 1.0 / 20000);
  EXPECT_EQ(back.series[7].at, 7 * 0.001);
}

TEST_P(EachLedger, FindingsFromItAreThoseFromMemory) {
  const auto record = record_of({{1.0, 2.1, 3.2, 4.3, 5.4, 6.5, 7.6}, {1.5, 2.5, 3.5, 4.5, 5.5, 6.5, 7.5}});
  Ledger ledger(place());
  const auto before = judge::judge_record(record),
             after = judge::judge_record(ledger.read(store(ledger, record)));
  ASSERT_EQ(before.findings.size(), after.findings.size());
  EXPECT_EQ(before.findings[0].effect.value, after.findings[0].effect.value);
  EXPECT_EQ(before.findings[0].interval.low, after.findings[0].interval.low);
  EXPECT_EQ(before.findings[0].p, after.findings[0].p);
}

TEST_P(EachLedger, TakesACellOnceInARound) {
  Ledger ledger(place());
  const auto record = record_of({{1, 2}, {1, 2}});
  const auto id = store(ledger, record);
  EXPECT_THROW(ledger.add_trial(id, record.log.trials[0]), Error);
  EXPECT_EQ(ledger.read(id).log.trials.size(), record.log.trials.size());
}

TEST_P(EachLedger, RefusesReadingsThatAreNotFinite) {
  Ledger ledger(place());
  const auto id = store(ledger, record_of({{1, 2}, {1, 2}}));
  Trial trial{.cell = {0}, .role = Role::check};
  trial.readings = {{MetricId{0}, std::nan("")}};
  EXPECT_THROW(ledger.add_trial(id, trial), DomainError);
}

TEST_P(EachLedger, KeepsLooksAndPrunesCampaignsWholly) {
  Ledger ledger(place());
  auto first = record_of({{1, 2}, {1, 2}}), second = first;
  second.design.uid = "fedcba9876543210";
  const auto a = store(ledger, first), b = store(ledger, second);
  ledger.add_look(a, {.comparison = {{0}, {1}}, .number = 1, .rounds = 7, .p = 0.03, .decision = "better"});
  const auto looks = ledger.read(a).log.looks;
  ASSERT_EQ(looks.size(), 1U);
  EXPECT_EQ(looks[0].decision, "better");
  ledger.remove({{a}});
  EXPECT_EQ(ledger.list().size(), 1U);
  EXPECT_THAT(message_of([&] { ledger.read(a); }), HasSubstr("no longer in the ledger"));
  EXPECT_EQ(ledger.read(b).log.trials.size(), second.log.trials.size());
}

TEST_P(EachLedger, LabelsAndPrefixesChooseACampaign) {
  Ledger ledger(place());
  auto first = record_of({{1, 2}, {1, 2}}), second = first;
  second.design.uid = "0123ffffffffffff";
  const auto a = store(ledger, first);
  store(ledger, second);
  ledger.set_label(a, "before");
  const auto all = ledger.list();
  EXPECT_EQ(find_campaign(all, "last").uid, second.design.uid);
  EXPECT_EQ(find_campaign(all, "before").uid, first.design.uid);
  EXPECT_EQ(find_campaign(all, "01234").uid, first.design.uid);
  EXPECT_THAT(message_of([&] { find_campaign(all, "0123"); }), HasSubstr("the beginning of 2 campaigns"));
  EXPECT_THAT(message_of([&] { find_campaign(all, "x"); }), HasSubstr("there is no campaign \"x\""));
  EXPECT_THAT(message_of([&] { find_campaign({}, "last"); }), HasSubstr("there is no campaign yet"));
  const auto matching = [&](const std::string& text) {
    std::vector<std::string> uids;
    for (const auto& campaign : ledger.matching(text)) uids.push_back(campaign.uid);
    return uids;
  };
  EXPECT_THAT(matching("last"), testing::ElementsAre(second.design.uid));
  EXPECT_THAT(matching("before"), testing::ElementsAre(first.design.uid));
  EXPECT_THAT(matching("01234"), testing::ElementsAre(first.design.uid));
  EXPECT_THAT(matching("0123"), testing::ElementsAre(second.design.uid, first.design.uid));
  EXPECT_TRUE(matching("x").empty());
  EXPECT_TRUE(matching("").empty());
  ASSERT_EQ(ledger.list({.newest = 1}).size(), 1U);
  EXPECT_EQ(ledger.list({.newest = 1})[0].uid, second.design.uid);
  EXPECT_EQ(ledger.list({.newest = 1})[0].candidates, "list vs rival1");
  const auto listed = [&](const CampaignFilter& which) {
    std::vector<std::string> uids;
    for (const auto& campaign : ledger.list(which)) uids.push_back(campaign.uid);
    return uids;
  };
  auto third = record_of({{1, 2}, {1, 2}});
  third.design.uid = "fedcba";
  third.design.kind = CampaignKind::history;
  third.design.title = "x' OR '1' = '1";
  third.design.plan_digest = "d3";
  third.design.candidates[CandidateId{1}].from.commit = "c1";
  ledger.add_whole(third);
  const std::vector<std::string> only = {third.design.uid};
  EXPECT_EQ(listed({.kinds = {CampaignKind::history, CampaignKind::step}}), only);
  EXPECT_EQ(listed({.uid = "fedcba"}), only);
  EXPECT_EQ(listed({.title = third.design.title}), only);
  EXPECT_EQ(listed({.kinds = {CampaignKind::history}, .plan_digest = "d3", .newest = 1}), only);
  EXPECT_EQ(listed({.commit = "c1"}), only);
  EXPECT_TRUE(listed({.kinds = {CampaignKind::step}, .commit = "c1"}).empty());
  EXPECT_EQ(listed({.label = "before"}), std::vector{first.design.uid});
  EXPECT_EQ(listed({}).size(), 3U);
}

TEST(Ledger, EveryCallIsDurable) {
  // What a call has stored is there for a reader although the writer never closes.
  const Scratch scratch;
  Ledger writer(scratch.path("ledger.db"));
  const auto record = record_of({{1, 2}, {1, 2}});
  const auto id = store(writer, record);
  Ledger reader(scratch.path("ledger.db"), Ledger::OpenMode::existing);
  EXPECT_EQ(reader.read(id).log.trials.size(), record.log.trials.size());
  soci::session raw(*soci::factory_sqlite3(), "dbname=" + scratch.path("ledger.db"));
  std::string mode;
  raw << "PRAGMA journal_mode", soci::into(mode);
  EXPECT_EQ(mode, "wal");
}

TEST_P(EachLedger, ACampaignThatIsMeasuredIsNotTakenOut) {
  Ledger ledger(place());
  auto record = test::record_of({{1, 2}, {1, 2}});
  const auto id = ledger.begin(record);
  try {
    ledger.remove({{id}});
    FAIL() << "it was taken out";
  } catch (const Error& error) {
    EXPECT_EQ(error.code(), Error::Code::in_use);
  }
  EXPECT_EQ(ledger.list().size(), 1U);
  ledger.end_session(id, SessionId{0}, CampaignState::ended);
  ledger.remove({{id}});
  EXPECT_TRUE(ledger.list().empty());
}

TEST(Ledger, AnIdThatLeadsToAFileElsewhereIsDamage) {
  const Scratch scratch;
  Ledger ledger(scratch.path("l.db"));
  auto record = test::record_of({{1, 2}, {1, 2}});
  record.design.uid = "/../../a";
  const auto id = ledger.begin(record);
  EXPECT_THROW(ledger.read(id), Error);
}

TEST(SessionOwner, AProcessThatHasEndedAndWasNotReapedIsNotAtWork) {
  int ends[2];
  ASSERT_EQ(pipe(ends), 0);
  const pid_t child = fork();
  if (child == 0) {
    const auto token = token_of_this_process();
    _exit(write(ends[1], token.data(), token.size()) > 0 ? 0 : 1);
  }
  char text[64];
  const auto got = read(ends[0], text, sizeof text);
  ASSERT_GT(got, 0);
  siginfo_t ended{};
  waitid(P_PID, static_cast<id_t>(child), &ended, WEXITED | WNOWAIT);
  EXPECT_FALSE(
      is_alive({.session = {}, .token = std::string(text, static_cast<std::size_t>(got)), .boot = "b"}, "b"));
  waitpid(child, nullptr, 0);
  EXPECT_TRUE(is_alive({.session = {}, .token = token_of_this_process(), .boot = "b"}, "b"));
  close(ends[0]);
  close(ends[1]);
}

}  // namespace
}  // namespace assay::ledger
