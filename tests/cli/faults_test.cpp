#include <gmock/gmock.h>
#include <gtest/gtest.h>
#include <soci/soci.h>
#include <soci/sqlite3/soci-sqlite3.h>

#include <cstdlib>
#include <cstring>
#include <filesystem>
#include <iostream>
#include <map>
#include <random>
#include <set>
#include <sstream>

#include "support/tool.hpp"

// Every call of the C library that can fail, made to fail once (tests/programs/faults.cpp), and kill -9
// before it. Here a sample of the calls of each command; scripts/faults.sh walks all of them.

namespace assay {
namespace {

using test::Ran;
using test::Scratch;
namespace fs = std::filesystem;

const std::string small_plan = R"([rounds]
min = 6
max = 6
[[candidate]]
name = "one"
run = ["sh", "-c", "echo total 3"]
[[candidate]]
name = "two"
run = ["sh", "-c", "echo total 3; :"]
[[workload]]
name = "w"
check = { equal = "stdout", match = "^total 3" }
)";

const std::string history_plan = R"([rounds]
min = 6
max = 6
[build]
steps = [["gcc", "-o", "${out}/m", "m.c"]]
exe = "${out}/m"
[history]
reference = "HEAD~2"
[[workload]]
name = "w"
run = ["${exe}"]
)";

/// A folder with a plan and one campaign in its ledger, copied for each try.
class Faults : public testing::Test {
 protected:
  void prepare() const {
    scratch_.file("clean/assay.toml", small_plan);
    scratch_.file(
        "clean/s.csv",
        "candidate,workload,metric,value,round\na,w,time,1,1\nb,w,time,2,1\na,w,time,1,2\nb,w,time,2,2\n");
    ASSERT_EQ(in("clean", {"run"}).status, 0);
  }

  Ran in(const std::string& folder, std::vector<std::string> words,
         const std::vector<std::string>& variables = {}) const {
    std::vector<std::string> command = {"/usr/bin/env", "-C", scratch_.path(folder)};
    command.insert(command.end(), variables.begin(), variables.end());
    command.insert(command.end(), {"timeout", "--kill-after=5", "120", ASSAY_TOOL});  // 124: it hangs
    command.insert(command.end(), words.begin(), words.end());
    return test::run(scratch_, command);
  }

  Ran with_fault(const std::vector<std::string>& words, long at, int way) const {
    return in("try", words, fault_variables(at, way));
  }

  std::vector<std::string> fault_variables(long at, int way, std::vector<std::string> more = {}) const {
    more.insert(more.end(),
                {"LD_PRELOAD=" ASSAY_FAULTS, "ASAN_OPTIONS=verify_asan_link_order=0:detect_leaks=0",
                 "ASSAY_FAULT_AT=" + std::to_string(at), "ASSAY_FAULT_WAY=" + std::to_string(way),
                 "ASSAY_FAULT_LOG=" + scratch_.path("log")});
    return more;
  }

  /// Three commits of a program, and a plan of their history.
  void make_commits() const {
    scratch_.file("clean/history.toml", history_plan);
    scratch_.file("clean/m.c", "int main() { return 0; }\n");
    const auto ran = test::run(
        scratch_, {"/bin/sh", "-c",
                   "cd '" + scratch_.path("clean") +
                       "' && git init -q . && git config user.email a@b && git config user.name a && "
                       "git add m.c && git commit -qm one && echo '//' >> m.c && git commit -qam two && "
                       "echo '//' >> m.c && git commit -qam three"});
    ASSERT_EQ(ran.status, 0) << ran.err;
  }

  const std::vector<std::string> trend = {"trend", "history.toml"};

  void copy_afresh() const {
    fs::remove_all(scratch_.path("try"));
    fs::remove(scratch_.path("log"));
    fs::copy(scratch_.path("clean"), scratch_.path("try"), fs::copy_options::recursive);
  }

  long calls_of(const std::vector<std::string>& words) const {
    copy_afresh();
    with_fault(words, 0, 0);
    std::istringstream log(test::read_file(scratch_.path("log")));
    std::string word;
    long calls = 0;
    while (log >> word >> calls) {
    }
    return calls;
  }

  /// One call for each of the stacks that calls are made from, and the last call from it: rounds repeat the
  /// others, which fail alike.
  std::vector<long> calls_that_differ(const std::vector<std::string>& words) const {
    copy_afresh();
    fs::remove(scratch_.path("stacks"));
    in("try", words, fault_variables(0, 0, {"ASSAY_FAULT_STACKS=" + scratch_.path("stacks")}));
    std::istringstream lines(test::read_file(scratch_.path("stacks")));
    std::map<std::string, std::pair<long, long>> first_and_last;
    std::string stack;
    for (long call = 1; lines >> stack; ++call) {
      const auto found = first_and_last.emplace(stack, std::pair{call, call}).first;
      found->second.second = call;
    }
    std::set<long> chosen;
    for (const auto& [unused, calls] : first_and_last) chosen.insert({calls.first, calls.second});
    return {chosen.begin(), chosen.end()};
  }

  /// The ledger is whole, nothing is left running, and the next command works: it shows the newest campaign,
  /// or says that nothing of it could be compared.
  void expect_unharmed(const std::string& what) const {
    const auto path = scratch_.path("try/.assay/ledger.db");
    if (fs::exists(path)) {
      soci::session sql(*soci::factory_sqlite3(), path);
      std::string answer;
      sql << "PRAGMA integrity_check", soci::into(answer);
      EXPECT_EQ(answer, "ok") << what;
    }
    const auto next = in("try", {"verdict"});
    EXPECT_TRUE(next.status == 0 || next.status == 3) << next.status << " " << what << "\n" << next.err;
    EXPECT_EQ(test::run(scratch_, {"/usr/bin/pgrep", "-f", scratch_.path("try")}).out, "") << what;
  }

  static int tries() {
    const char* asked = std::getenv("ASSAY_FAULTS_TRIED");  // all of them by hand: a large number
    return asked != nullptr ? std::atoi(asked) : 2;
  }

  /// Each of a sample of the command's calls fails; what it says then is for a person.
  void walk(const std::vector<std::string>& words) {
    if (!fs::exists(scratch_.path("clean/.assay"))) prepare();
    const auto calls = calls_of(words);
    ASSERT_GT(calls, 10);
    EXPECT_EQ(in("try", {"verdict"}).status, 0) << "it does its work without a fault";
    std::mt19937 random(static_cast<unsigned>(calls));
    const bool all = tries() >= 4 * calls;
    const auto chosen = all ? calls_that_differ(words) : std::vector<long>();
    if (all) std::cerr << words.front() << ": " << chosen.size() << " of " << calls << " calls\n";
    for (long i = 0; i < (all ? 4 * static_cast<long>(chosen.size()) : tries()); ++i) {
      const long at =
          all ? chosen[static_cast<size_t>(i / 4)] : std::uniform_int_distribution<long>(1, calls)(random);
      const int way = all ? static_cast<int>(i % 4) : static_cast<int>(random() % 4);
      copy_afresh();
      const auto ran = with_fault(words, at, way);
      const auto what = words.front() + ": call " + std::to_string(at) + ", way " + std::to_string(way) +
                        ": " + test::read_file(scratch_.path("log")) + ran.err;
      EXPECT_TRUE(ran.status == 0 || ran.status == 2 || ran.status == 3) << ran.status << " " << what;
      if (ran.status != 0) EXPECT_THAT(ran.err, testing::HasSubstr("assay: ")) << what;
      expect_unharmed(what);
    }
  }

  Scratch scratch_;
};

TEST_F(Faults, RunSurvivesAnyCallThatFails) { walk({"run"}); }
TEST_F(Faults, DuelSurvivesAnyCallThatFails) {
  walk({"duel", "--ledger", ".assay/ledger.db", "--rounds", "6", "true", "vs", "true", "x"});
}
TEST_F(Faults, AbreastSurvivesAnyCallThatFails) {
  walk({"duel", "--ledger", ".assay/ledger.db", "--abreast", "--rounds", "6", BEHAVE, "spin", "0.002", "vs",
        BEHAVE, "spin", "0.002", "touch", "1"});
}
TEST_F(Faults, ServersSurviveAnyCallThatFails) {
  walk({"duel", "--ledger", ".assay/ledger.db", "--serve", "/locks", "--requests", "1000", "--rounds", "6",
        SERVE, "PORT", "plain", "vs", SERVE, "PORT", "work", "1"});
}

/// Commits that are built, and linked again: only where all calls are asked for, since each try takes
/// seconds.
TEST_F(Faults, CommitsSurviveAnyCallThatFails) {
  if (tries() < 100) GTEST_SKIP() << "scripts/faults.sh runs it";
  make_commits();
  walk({"duel", "--commits", "HEAD~1,HEAD", "--relink=6", "--rounds", "6", "--build", "gcc -o ${out}/m m.c",
        "--", "${out}/m"});
}

TEST_F(Faults, TrendSurvivesAnyCallThatFails) {
  if (tries() < 100) GTEST_SKIP() << "scripts/faults.sh runs it";
  make_commits();
  walk(trend);
}

/// What git leaves behind when it fails or is killed anywhere does not stop the same command the next time.
TEST_F(Faults, TheCacheIsUsableAfterAnyCallOfGitThatFails) {
  make_commits();
  prepare();
  const auto count = scratch_.path("count");
  const auto tried = [&](long at, int way) {
    copy_afresh();
    scratch_.file("count", std::string(8, '\0'));
    return in("try", trend, fault_variables(at, way, {"ASSAY_FAULT_IN=git", "ASSAY_FAULT_COUNT=" + count}));
  };
  ASSERT_EQ(tried(0, 0).status, 0);
  long calls = 0;
  std::memcpy(&calls, test::read_file(count).data(), sizeof calls);
  ASSERT_GT(calls, 50);
  std::mt19937 random(11);
  for (int i = 0; i < std::min<long>(tries(), calls); ++i) {
    const long at = tries() >= calls ? i + 1 : std::uniform_int_distribution<long>(1, calls)(random);
    const int way = static_cast<int>(random() % 3) - 1;  // killed, or one of two errors
    const auto ran = tried(at, way);
    const auto what = "call " + std::to_string(at) + ", way " + std::to_string(way) + ": " +
                      test::read_file(scratch_.path("log")) + ran.err;
    EXPECT_TRUE(ran.status == 0 || ran.status == 2 || ran.status == 3) << ran.status << " " << what;
    const auto next = in("try", trend);
    EXPECT_EQ(next.status, 0) << what << "then: " << next.err;
  }
}

/// A campaign that is laid down and not measured yet.
TEST_F(Faults, JoinSurvivesAnyCallThatFails) {
  prepare();
  ASSERT_EQ(in("clean", {"run", "--open"}).status, 0);
  walk({"join"});
}

TEST_F(Faults, VerdictSurvivesAnyCallThatFails) { walk({"verdict"}); }
TEST_F(Faults, ReportSurvivesAnyCallThatFails) { walk({"report"}); }
TEST_F(Faults, ImportSurvivesAnyCallThatFails) { walk({"import", "s.csv", "--ledger", ".assay/ledger.db"}); }
TEST_F(Faults, ExportSurvivesAnyCallThatFails) { walk({"export"}); }
TEST_F(Faults, PruneSurvivesAnyCallThatFails) {
  prepare();
  ASSERT_EQ(in("clean", {"run"}).status, 0);
  walk({"ledger", "prune", "--keep", "1"});
}

TEST_F(Faults, WhereSurvivesAnyCallThatFails) {
  if (tries() < 100) GTEST_SKIP() << "scripts/faults.sh runs it";
  prepare();
  ASSERT_EQ(in("clean", {"duel", "--ledger", ".assay/ledger.db", "--rounds", "6", "--names", "one,two",
                         SAMPLED, "10", "5", "vs", SAMPLED, "10", "9"})
                .status,
            0);
  walk({"where", "--only", "candidate=two", "--rounds", "6"});
}

TEST_F(Faults, ARunThatIsKilledBeforeAnyCallGoesOn) {
  prepare();
  const auto calls = calls_of({"run"});
  std::mt19937 random(7);
  for (int i = 0; i < std::min<long>(tries(), calls); ++i) {
    const long at = tries() >= calls ? i + 1 : std::uniform_int_distribution<long>(1, calls)(random);
    copy_afresh();
    with_fault({"run"}, at, -1);
    const auto what =
        "killed before call " + std::to_string(at) + ": " + test::read_file(scratch_.path("log"));
    expect_unharmed(what);
    const auto ran = in("try", {"run", "--resume"});
    EXPECT_EQ(ran.status, 0) << what << ran.err;
  }
}

TEST_F(Faults, AMachineThatIsKilledBeforeAnyCallJoinsAgain) {
  prepare();
  ASSERT_EQ(in("clean", {"run", "--open"}).status, 0);
  const auto calls = calls_of({"join"});
  std::mt19937 random(13);
  for (int i = 0; i < std::min<long>(tries(), calls); ++i) {
    const long at = tries() >= calls ? i + 1 : std::uniform_int_distribution<long>(1, calls)(random);
    copy_afresh();
    with_fault({"join"}, at, -1);
    const auto what =
        "killed before call " + std::to_string(at) + ": " + test::read_file(scratch_.path("log"));
    expect_unharmed(what);
    const auto ran = in("try", {"join"});
    EXPECT_TRUE(ran.status == 0 ||
                (ran.status == 2 && ran.err.find("no campaign goes on") != std::string::npos))
        << what << ran.err;
    EXPECT_THAT(in("try", {"ledger", "last"}).out, testing::HasSubstr("6 rounds count")) << what;
  }
}

}  // namespace
}  // namespace assay
