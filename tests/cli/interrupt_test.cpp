#include <gmock/gmock.h>
#include <gtest/gtest.h>
#include <sys/wait.h>

#include <chrono>
#include <csignal>
#include <thread>

#include "assay/ledger/ledger.hpp"
#include "support/tool.hpp"

namespace assay::test {
using namespace model;
namespace {

using testing::HasSubstr;

void await(const std::function<bool()>& condition) {
  for (int i = 0; i < 12000 && !condition(); ++i) std::this_thread::sleep_for(std::chrono::milliseconds(5));
  ASSERT_TRUE(condition()) << "it did not come to that within a minute";
}

Started long_duel(const Scratch& scratch) {
  return {
      scratch,
      {ASSAY_TOOL,           "duel",        "--rounds",           "5000",  "--names", "a,b", BEHAVE, "pid",
       scratch.path("pids"), "leave-child", scratch.path("pids"), "sleep", "0.02",    "vs",  BEHAVE, "pid",
       scratch.path("pids"), "leave-child", scratch.path("pids"), "sleep", "0.02"}};
}

std::vector<pid_t> all_gone(const Scratch& scratch) {
  std::vector<pid_t> alive;
  for (int i = 0; i < 2000; ++i) {
    alive.clear();
    for (const auto pid : pids_in(scratch.path("pids")))
      if (is_alive(pid)) alive.push_back(pid);
    if (alive.empty()) break;
    std::this_thread::sleep_for(std::chrono::milliseconds(5));
  }
  return alive;
}

TEST(Interrupt, CtrlCShowsProvisionalFindingsAndKeepsWhatWasMeasured) {
  const Scratch scratch;
  auto started = long_duel(scratch);
  await([&] { return pids_in(scratch.path("pids")).size() > 40; });
  kill(started.pid(), SIGINT);
  const auto ran = started.wait();
  EXPECT_EQ(ran.status, 130);
  EXPECT_THAT(ran.out, HasSubstr("provisional, the campaign was interrupted"));
  EXPECT_THAT(ran.out, HasSubstr("wall time"));
  EXPECT_TRUE(all_gone(scratch).empty());
  EXPECT_THAT(assay(scratch, {"verdict"}).out, HasSubstr("provisional"));
}

TEST(Interrupt, AClosedTerminalEndsItAsASignalDoes) {
  const Scratch scratch;
  const auto pids = scratch.path("pids");
  Started started(scratch, {"/bin/sh", "-c",
                            "exec " ASSAY_TOOL " duel --rounds 5000 " BEHAVE " pid " + pids +
                                " sleep 0.02 vs " BEHAVE " pid " + pids + " sleep 0.02 touch 1 > /dev/full"});
  await([&] { return pids_in(pids).size() > 40; });
  kill(started.pid(), SIGHUP);
  const auto ran = started.wait();
  EXPECT_EQ(ran.status, 130);
  EXPECT_THAT(ran.err, HasSubstr("the results could not be written out"));
  EXPECT_TRUE(all_gone(scratch).empty());
}

TEST(Interrupt, TwiceStopsAtOnce) {
  const Scratch scratch;
  Started started(scratch, {ASSAY_TOOL, "duel", BEHAVE, "ignore-term", "pid", scratch.path("pids"), "sleep",
                            "60", "vs", "true"});
  await([&] { return !pids_in(scratch.path("pids")).empty(); });
  kill(started.pid(), SIGINT);
  await([&] { return started.err_so_far().find("once more") != std::string::npos; });
  kill(started.pid(), SIGINT);
  EXPECT_EQ(started.wait().status, 130);
  EXPECT_TRUE(all_gone(scratch).empty());
}

TEST(Interrupt, AfterKill9EveryFinishedTrialIsThereAndNothingRuns) {
  const Scratch scratch;
  auto started = long_duel(scratch);
  await([&] { return pids_in(scratch.path("pids")).size() > 60; });
  const auto begun = pids_in(scratch.path("pids")).size();
  kill(started.pid(), SIGKILL);
  EXPECT_EQ(started.wait().status, -SIGKILL);
  EXPECT_TRUE(all_gone(scratch).empty());
  ledger::Ledger ledger(scratch.path("state/assay/ledger.db"), ledger::Ledger::OpenMode::existing);
  const auto all = ledger.list();
  ASSERT_EQ(all.size(), 1U);
  EXPECT_EQ(all[0].state, CampaignState::open);
  // Two pids are noted for each trial, and only the trial in flight may be missing.
  EXPECT_GE(ledger.read(all[0].id).log.trials.size() + 1, begun / 2);
  EXPECT_THAT(assay(scratch, {"verdict"}).out, HasSubstr("cut off after"));
}

}  // namespace
}  // namespace assay::test
