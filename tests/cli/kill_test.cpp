#include <gmock/gmock.h>
#include <gtest/gtest.h>
#include <signal.h>

#include <algorithm>
#include <chrono>
#include <cstdlib>
#include <map>
#include <nlohmann/json.hpp>
#include <random>
#include <thread>

#include "assay/judge/judge.hpp"
#include "assay/judge/paired_series.hpp"
#include "assay/ledger/ledger.hpp"
#include "assay/model/enum_names.hpp"
#include "support/tool.hpp"

namespace assay {
using namespace model;
namespace {
using test::Scratch;

/// Two builds that take a moment, checks that take a moment, and rounds of three cells.
const std::string long_plan = std::string(R"(
[plan]
title = "killed"
margin = "0.01 %"
[build]
source = "source"
steps = [["sleep", "0.15"], ["install", "-m", "755", "${source}/run.sh", "${out}/run"]]
exe = "${out}/run"
[[candidate]]
name = "one"
with = { touch = "1" }
[[candidate]]
name = "two"
with = { touch = "2" }
[[workload]]
name = "w"
run = ["${exe}", "${touch}"]
check = { equal = "stdout", match = "^total 3" }
)");

int kills() {
  const char* asked = std::getenv("ASSAY_KILLS");  // more of them, by hand
  return asked != nullptr ? std::atoi(asked) : 4;
}

TEST(Resume, AfterAKillAtAnyMomentEndsAsUninterrupted) {
  const Scratch scratch;
  scratch.file("assay.toml",
               long_plan + "[rounds]\nmin = 28\nmax = " + std::to_string(12 * std::max(kills(), 4)) + "\n");
  scratch.file("source/run.sh",
               std::string("#!/bin/sh\nexec ") + BEHAVE + " spin 0.01 touch $1 say 'total 3'\n");
  std::mt19937 random(20260301);
  int killed = 0;
  for (int attempt = 0; attempt < 200 && killed < kills(); ++attempt) {
    test::Started tool(scratch, {ASSAY_TOOL, "run", "--resume"});
    std::this_thread::sleep_for(std::chrono::milliseconds(std::uniform_int_distribution(50, 900)(random)));
    kill(tool.pid(), SIGKILL);
    if (tool.wait().status != -SIGKILL) break;  // it had ended
    ++killed;
  }
  EXPECT_EQ(killed, kills()) << "it ended before it could be killed so often";
  const auto ran = test::assay(scratch, {"run", "--resume", "--json"});
  ASSERT_EQ(ran.status, 0) << ran.err;

  ledger::Ledger ledger(scratch.path(".assay/ledger.db"), ledger::Ledger::OpenMode::existing);
  const auto all = ledger.list();
  ASSERT_EQ(all.size(), 1U) << "a campaign that was laid down is gone on with, never begun again";
  const auto record = ledger.read(all[0].id);
  EXPECT_EQ(record.log.state, CampaignState::ended);
  std::map<std::pair<int, CellId>, std::ptrdiff_t> times;
  for (const auto& trial : record.log.trials)
    if (trial.round) ++times[{*trial.round, trial.cell}];
  int number = 0;
  for (const auto& round : record.log.rounds) {
    EXPECT_EQ(round.number, ++number) << "no number is left out";
    EXPECT_NE(round.state, RoundState::open);
    for (const auto cell : round.order) {
      const auto seen = times[{round.number, cell}], planned = std::ranges::count(round.order, cell);
      if (round.role != Role::warm_up) EXPECT_EQ(planned, 1) << "round " << round.number;
      if (round.state == RoundState::complete) {
        EXPECT_EQ(seen, planned) << "round " << round.number;
      } else {
        EXPECT_LE(seen, planned) << "round " << round.number;
      }
    }
  }
  // The looks that were kept on the way are those that replaying the same trials without a break takes.
  const auto findings = judge::judge_record(record);
  for (const auto& f : findings.findings) {
    if (findings.metric_of(f).name != "wall time") continue;
    // Twins, which run in some rounds only, end between looks: that closing one is not kept.
    const auto last = static_cast<int>(f.decided ? f.decided_at_round : f.rounds);
    const int planned = judge::looks_of(findings.design.rules).look_at(last) ? f.looks : f.looks - 1;
    int kept = 0;
    for (const auto& look : record.log.looks)
      if (look.comparison == f.comparison && look.metric == f.metric) {
        ++kept;
        if (look.number == f.looks) {
          EXPECT_EQ(look.p, f.p);
          EXPECT_EQ(look.p_same, f.p_equivalence);
          EXPECT_EQ(look.decision, to_string(f.verdict));
        }
      }
    EXPECT_EQ(kept, planned);
  }
  EXPECT_EQ(nlohmann::json::parse(ran.out),
            nlohmann::json::parse(test::assay(scratch, {"verdict", "--json"}).out));
}

}  // namespace
}  // namespace assay
