// A machine that takes part in a campaign, by the tool, whose connection is cut or which is killed at any message to the
// ledger's server. Here a sample of its messages; scripts/faults.sh walks all of them.

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cstdlib>
#include <map>
#include <random>

#include "assay/ledger/ledger.hpp"
#include "support/cutting.hpp"
#include "support/postgres.hpp"
#include "support/tool.hpp"

namespace assay::test {
using namespace model;
namespace {

class JoinFaults : public PostgresLedger {
 protected:
  void SetUp() override {
    PostgresLedger::SetUp();
    if (IsSkipped()) return;
    scratch_.file("assay.toml", R"([rounds]
min = 6
max = 6
[[candidate]]
name = "one"
run = ["sh", "-c", "echo seven locks"]
[[candidate]]
name = "two"
run = ["sh", "-c", "echo seven locks; :"]
[[workload]]
name = "locks"
check = { equal = "stdout" }
)");
    make_tables();
    const auto opened = tool(place_, {"run", "--open"}).wait();
    ASSERT_EQ(opened.status, 0) << opened.err;
  }

  Started tool(const std::string& place, std::vector<std::string> arguments) const {
    arguments.insert(arguments.begin(),
                     {"/usr/bin/env", "ASSAY_LEDGER=" + place,
                      "ASAN_OPTIONS=detect_leaks=0",  // SOCI's, of a connection that fails while it is made
                      "timeout", "--foreground", "--kill-after=5", "120", ASSAY_TOOL});  // 124: it hangs
    return {scratch_, arguments};
  }

  /// The campaign has ended, with all that was to be measured, each thing once.
  static void expect_whole(const std::string& place, const std::string& what) {
    ledger::Ledger ledger(place, ledger::Ledger::OpenMode::existing);
    ASSERT_EQ(ledger.list().size(), 1U) << what;
    const auto log = ledger.read(ledger.list()[0].id).log;
    EXPECT_EQ(log.state, CampaignState::ended) << what;
    std::map<int, int> trials;
    for (const auto& trial : log.trials)
      if (trial.round) ++trials[*trial.round];
    int number = 0, judged = 0;
    for (const auto& round : log.rounds) {
      EXPECT_EQ(round.number, ++number) << what;
      EXPECT_NE(round.state, RoundState::open) << what;
      if (round.state != RoundState::complete) continue;
      EXPECT_EQ(trials[round.number], static_cast<int>(round.order.size())) << what;
      judged += round.role == Role::measured ? 1 : 0;
    }
    EXPECT_EQ(judged, 6) << what;
  }

  /// Joins by way of something that cuts; then once more where the first one did not get to the end.
  int join(int at, Cutting::What how) const {
    const auto place = server_->copy_of(place_);
    const Scratch folder;
    Ran ran;
    int messages = 0;
    {
      Cutting cutting(folder.path(), place, at, how);
      auto joining = tool(cutting.place(), {"join"});
      cutting.set_client(pid_of_tool(joining.pid()));
      ran = joining.wait();
      messages = cutting.messages();
    }
    const auto what = "message " + std::to_string(at) + " of " + std::to_string(messages) + ", way " +
                      std::to_string(static_cast<int>(how)) + ": " + ran.err;
    if (how == Cutting::What::client && at > 0) {
      EXPECT_NE(ran.status, 0) << what;
    } else {
      EXPECT_TRUE(ran.status == 0 || ran.status == 2) << ran.status << what;
    }
    if (ran.status != 0) {
      const auto again = tool(place, {"join"}).wait();
      EXPECT_EQ(again.status, 0) << what << "then: " << again.err;
    }
    expect_whole(place, what);
    return messages;
  }

  /// `timeout` starts it as a child of its own.
  static pid_t pid_of_tool(pid_t of_timeout) {
    const auto children =
        "/proc/" + std::to_string(of_timeout) + "/task/" + std::to_string(of_timeout) + "/children";
    for (int i = 0; i < 2000; ++i, usleep(5000))
      if (const pid_t child = std::atoi(read_file(children).c_str()); child != 0) return child;
    return of_timeout;
  }

  static int tries() {
    const char* asked = std::getenv("ASSAY_FAULTS_TRIED");
    return asked != nullptr ? std::atoi(asked) : 1;
  }

  Scratch scratch_;
};

TEST_F(JoinFaults, CutOffOrKilledAtAnyMessageNothingIsLostOrMeasuredTwice) {
  const int messages = join(-1, Cutting::What::message);
  ASSERT_GT(messages, 50);
  const bool all = tries() >= messages;
  std::mt19937 random(17);
  for (int i = 0; i < std::min(tries(), messages); ++i)
    for (const auto how : {Cutting::What::message, Cutting::What::answer, Cutting::What::client})
      join(all ? i + 1 : std::uniform_int_distribution(1, messages * 9 / 10)(random), how);
}

}  // namespace
}  // namespace assay::test
