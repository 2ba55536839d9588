// Campaigns that share a ledger: gone on with, alive, or taken away.

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "assay/ledger/ledger.hpp"
#include "assay/model/error.hpp"
#include "assay/plan/cells.hpp"
#include "assay/setup/run_plan.hpp"
#include "support/message.hpp"
#include "support/observing.hpp"
#include "support/plans.hpp"
#include "support/tool.hpp"

namespace assay::setup {
namespace {

using test::finding_on;
using test::message_of;
using test::plan_of;
using test::Scratch;
using testing::HasSubstr;

/// Carries a plan out until two rounds are done; the uid of its campaign.
std::string cut_off(const Plan& plan, const std::string& ledger) {
  std::stop_source source;
  test::Observing observer;
  observer.when_progress = [&](const engine::Progress& p) {
    if (p.phase == engine::Progress::Phase::measuring && p.done == 2) source.request_stop();
  };
  const auto findings = run_plan(plan, {.ledger = ledger, .observer = &observer, .stop = source.get_token()});
  EXPECT_TRUE(findings.provisional);
  return findings.design.uid;
}

TEST(Resume, TakesTheCampaignOfThisPlanWhereNoneHasATitle) {
  const Scratch scratch;
  const auto ledger = scratch.path("ledger.db");
  const auto one = plan_of({{"say", "x"}, {"say", "x"}}), other = plan_of({{"touch", "2"}, {"touch", "3"}});
  const auto first = cut_off(one, ledger), second = cut_off(other, ledger);
  const auto resumed = run_plan(one, {.ledger = ledger, .resume = true});
  EXPECT_EQ(resumed.design.uid, first);
  EXPECT_EQ(resumed.rounds, 6U);
  EXPECT_EQ(run_plan(other, {.ledger = ledger, .resume = true}).design.uid, second);
  EXPECT_EQ(ledger::Ledger(ledger).list().size(), 2U);
}

TEST(Resume, AnEndedCampaignOfOtherProgramsIsNotTaken) {
  const Scratch scratch;
  const auto ledger = scratch.path("ledger.db");
  auto plan = plan_of({{}, {}});
  const auto lay_down = [&](const std::string& text) {
    for (const std::string name : {"list", "heap"}) {
      std::filesystem::remove(scratch.path(name));
      std::filesystem::permissions(scratch.file(name, "#!/bin/sh\n# " + text + "\n"),
                                   std::filesystem::perms::owner_all);
    }
  };
  lay_down("first");
  plan.candidates[0].run = {scratch.path("list")};
  plan.candidates[1].run = {scratch.path("heap")};
  const auto first = run_plan(plan, {.ledger = ledger});
  EXPECT_EQ(run_plan(plan, {.ledger = ledger, .resume = true}).design.uid, first.design.uid);
  lay_down("second");
  const auto second = run_plan(plan, {.ledger = ledger, .resume = true});
  EXPECT_NE(second.design.uid, first.design.uid) << "what it measured are other programs";
  EXPECT_EQ(second.rounds, 6U);
}

TEST(Resume, RefusesACampaignThatIsStillMeasured) {
  const Scratch scratch;
  const auto ledger = scratch.path("ledger.db");
  const auto plan = plan_of({{"say", "x"}, {"say", "x"}});
  std::string said;
  test::Observing observer;
  observer.when_progress = [&](const engine::Progress& p) {
    if (p.phase == engine::Progress::Phase::measuring && p.done == 2 && said.empty())
      said = message_of([&] { run_plan(plan, {.ledger = ledger, .resume = true}); });
  };
  EXPECT_EQ(run_plan(plan, {.ledger = ledger, .observer = &observer}).rounds, 6U) << "it is not disturbed";
  EXPECT_THAT(said, HasSubstr("is being measured by process"));
}

TEST(Abreast, MoreThanFitAreRefusedBeforeAnythingRuns) {
  const Scratch scratch;
  auto plan = plan_of(std::vector<std::vector<std::string>>(17, {"count-runs", scratch.path("runs")}));
  plan.rounds.mode = Way::abreast;
  const auto said = message_of([&] { run_plan(plan, {.ledger = scratch.path("ledger.db")}); });
  EXPECT_THAT(said, HasSubstr("16"));
  EXPECT_FALSE(std::filesystem::exists(scratch.path("runs"))) << "nothing was run";
  EXPECT_FALSE(std::filesystem::exists(scratch.path("ledger.db"))) << "no campaign is left open";
}

TEST(Cells, ACandidatesRunWinsOverTheWorkloads) {
  auto plan = plan_of({{"touch", "2"}, {"touch", "64"}});
  plan.workloads[0].run = {"${exe}", "touch", "1"};
  EXPECT_THAT(plan::plan_warnings(plan), testing::Contains(HasSubstr("run")));
  EXPECT_EQ(finding_on(run_plan(plan), "peak memory").verdict, Verdict::worse);
}

TEST(LedgerGone, WhileMeasuringIsNeverSuccess) {
  const Scratch scratch;
  const auto ran = test::assay(scratch, {"duel", "--rounds", "7", "--names", "a,b", "sh", "-c",
                                         "rm -rf '" + scratch.path("state") + "'; :", "vs", "sh", "-c", ":"});
  EXPECT_NE(ran.status, 0) << ran.out;
  EXPECT_THAT(ran.err, HasSubstr("ledger"));
}

}  // namespace
}  // namespace assay::setup
