#pragma once

#include <gtest/gtest.h>
#include <sys/wait.h>
#include <unistd.h>

#include <functional>
#include <string>
#include <utility>
#include <vector>

#include "assay/ledger/ledger.hpp"
#include "assay/model/error.hpp"
#include "support/postgres.hpp"
#include "support/records.hpp"
#include "support/stored.hpp"

namespace assay::test {
using namespace model;

/// Tests of one campaign that several processes measure, in a ledger of either kind.
class Sharing : public EachLedger {
 protected:
  /// Another process that takes part, and does this with its ledger.
  pid_t in_another(const std::function<void(ledger::Ledger&, SessionId)>& act) const {
    const pid_t child = fork();
    if (child != 0) return child;
    try {
      ledger::Ledger ledger(place(), ledger::Ledger::OpenMode::existing);
      const auto id = ledger.list().front().id;
      act(ledger, ledger.join(id, session_on("another machine")));
    } catch (const std::exception& error) {
      fprintf(stderr, "%s\n", error.what());
      _exit(1);
    }
    _exit(0);
  }

  /// Another process that has claimed a round, stored a trial of it where that is asked for, and does no more.
  pid_t stuck_in_a_round(CampaignId id, bool stores) const {
    int ready[2];
    EXPECT_EQ(pipe(ready), 0);
    const auto child = in_another([&](ledger::Ledger& other, SessionId session) {
      const auto round = claim(other, id, session);
      if (stores) other.add_trial(id, trial_of(round.number, session, 1));
      if (write(ready[1], "x", 1) != 1) throw Error("nobody waits");
      pause();
    });
    char byte = 0;
    EXPECT_EQ(read(ready[0], &byte, 1), 1);
    close(ready[0]);
    close(ready[1]);
    return child;
  }

  static int status_of(pid_t child) {
    int status = 0;
    waitpid(child, &status, 0);
    return status;
  }

  static std::vector<std::pair<int, RoundState>> states_of(const ledger::CampaignChanges& changes) {
    std::vector<std::pair<int, RoundState>> states;
    for (const auto& round : changes.rounds) states.emplace_back(round.number, round.state);
    return states;
  }

  static Trial trial_of(int round, SessionId session, double value) {
    Trial trial{.cell = {0}, .round = round, .session = session};
    trial.readings = {{MetricId{0}, value}};
    return trial;
  }

  const Record campaign_ = unmeasured();
};

}  // namespace assay::test
