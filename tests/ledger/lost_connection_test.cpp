// Connections to a server that are lost while a campaign is stored.

#include <gmock/gmock.h>
#include <gtest/gtest.h>
#include <poll.h>
#include <sys/socket.h>
#include <sys/un.h>
#include <unistd.h>

#include <atomic>
#include <cstring>
#include <stop_token>
#include <thread>

#include "assay/ledger/ledger.hpp"
#include "assay/model/error.hpp"
#include "support/message.hpp"
#include "support/postgres.hpp"
#include "support/records.hpp"
#include "support/stored.hpp"

namespace assay::ledger {
namespace {

using test::PostgresLedger;
using test::record_of;

/// Between a client and the server; cuts the connection at the n-th message of the client, before the server gets it or
/// after the server has answered it.
class Cutting {
 public:
  Cutting(const std::string& folder, const std::string& server, int at, bool answered)
      : server_(server), at_(at), answered_(answered) {
    path_ = folder + "/.s.PGSQL.5432";
    listener_ = socket(AF_UNIX, SOCK_STREAM | SOCK_CLOEXEC, 0);
    const auto address = address_of(path_);
    if (bind(listener_, reinterpret_cast<const sockaddr*>(&address), sizeof address) != 0)
      throw std::runtime_error(path_);
    listen(listener_, 4);
    thread_ = std::jthread([this](const std::stop_token& stop) { serve(stop); });
  }
  ~Cutting() {
    thread_.request_stop();
    thread_.join();
    connections_.clear();
    close(listener_);
    unlink(path_.c_str());
  }
  Cutting(const Cutting&) = delete;
  Cutting& operator=(const Cutting&) = delete;
  bool has_cut() const { return has_cut_; }

 private:
  static sockaddr_un address_of(const std::string& path) {
    sockaddr_un address{};
    address.sun_family = AF_UNIX;
    path.copy(address.sun_path, sizeof address.sun_path - 1);
    return address;
  }

  void serve(const std::stop_token& stop) {
    while (!stop.stop_requested()) {
      pollfd waiting{listener_, POLLIN, 0};
      if (poll(&waiting, 1, 10) <= 0) continue;
      const int client = accept4(listener_, nullptr, nullptr, SOCK_CLOEXEC),
                server = socket(AF_UNIX, SOCK_STREAM | SOCK_CLOEXEC, 0);
      connections_.emplace_back([this, stop, client, server] {
        const auto address = address_of(server_);
        if (connect(server, reinterpret_cast<const sockaddr*>(&address), sizeof address) == 0)
          while (!stop.stop_requested() && pass(client, server)) {
          }
        close(client);
        close(server);
      });
    }
  }

  bool pass(int client, int server) {
    pollfd both[] = {{client, POLLIN, 0}, {server, POLLIN, 0}};
    if (poll(both, 2, 10) <= 0) return true;
    char bytes[65536];
    if (both[0].revents != 0) {
      const auto got = read(client, bytes, sizeof bytes);
      if (got <= 0) return false;
      const bool now = ++messages_ == at_;
      if (now && !answered_) return !(has_cut_ = true);
      if (write(server, bytes, static_cast<std::size_t>(got)) != got) return false;
      if (now) {
        has_cut_ = true;
        return read(server, bytes, sizeof bytes) < 0;  // its answer, which nobody gets
      }
    }
    if (both[1].revents != 0) {
      const auto got = read(server, bytes, sizeof bytes);
      if (got <= 0 || write(client, bytes, static_cast<std::size_t>(got)) != got) return false;
    }
    return true;
  }

  std::string path_, server_;
  int at_, listener_ = -1;
  std::atomic<int> messages_ = 0;
  bool answered_;
  std::atomic<bool> has_cut_ = false;
  std::vector<std::jthread> connections_;  ///< of the client, in threads of their own
  std::jthread thread_;
};

/// All that a campaign does with its ledger; the connection is cut at every message in turn.
TEST_F(PostgresLedger, ALostConnectionAtAnyMessageIsRepeatedAndStoresOnce) {
  make_tables();
  const test::Scratch scratch;
  const auto folder =
      place_.substr(place_.find("host=") + 5, place_.find("&user") - place_.find("host=") - 5);
  const auto through = place_.substr(0, place_.find("host=")) + "host=" + scratch.path() + "&user=owner";
  auto record = record_of({{1, 2}, {1, 2}});
  const auto trials = record.log.trials;
  record.log.trials.clear();
  record.log.rounds.clear();
  record.log.state = CampaignState::open;
  int cuts = 0;
  for (int at = 8; at < 400; at += 11)  // the first ones connect
    for (const bool answered : {false, true}) {
      const Cutting cutting(scratch.path(), folder + "/.s.PGSQL.5432", at, answered);
      record.design.uid = std::to_string(1'000'000'000'000'000 + 2 * at + (answered ? 1 : 0));
      CampaignId id;
      try {
        Ledger ledger(through);
        id = ledger.begin(record);
        for (int round = 1; round <= 3; ++round) {
          const auto claimed = test::claim(ledger, id, SessionId{0},
                                           {.role = Role::measured, .order = {CellId{0}, CellId{1}}});
          EXPECT_EQ(claimed.number, round);
          for (const auto& trial : trials)
            if (trial.round == round) ledger.add_trial(id, trial);
          ledger.set_round_state(id, round, RoundState::complete);
        }
        ledger.add_trial(id, {.cell = {0}, .role = Role::check, .output_digest = "d"});
        ledger.add_look(id, {.comparison = {CellId{0}, CellId{1}}, .number = 1});
        ledger.end_session(id, SessionId{0}, CampaignState::interrupted);
        ledger.add_session(id, record.log.sessions[SessionId{0}]);
        ledger.end_session(id, SessionId{1}, CampaignState::ended);
      } catch (const Error& error) {
        EXPECT_LT(at, 20) << error.what() << ": only a connection that was never made is an error";
        continue;
      }
      cuts += cutting.has_cut() ? 1 : 0;
      const auto back = Ledger(place_).read(id);
      EXPECT_EQ(back.log.trials.size(), 7U) << at << " " << answered;
      EXPECT_EQ(back.log.rounds.size(), 3U) << at << " " << answered;
      EXPECT_EQ(back.log.sessions.size(), 2U) << at << " " << answered;
      EXPECT_EQ(back.log.looks.size(), 1U);
      EXPECT_EQ(back.log.state, CampaignState::ended);
    }
  EXPECT_GT(cuts, 20);
}

TEST_F(PostgresLedger, ACrashOfTheServerLosesNothingThatWasStored) {
  make_tables();
  Ledger ledger(place_);
  const auto record = record_of({{1, 2, 3}, {1, 2, 3}});
  const auto id = ledger.begin(record);
  std::size_t stored = 0;
  for (const auto& trial : record.log.trials) {
    ledger.add_trial(id, trial);
    if (++stored % 3 != 0) continue;
    server_->cut_off();
    server_->start();
  }
  EXPECT_EQ(ledger.read(id).log.trials.size(), record.log.trials.size());
}

TEST_F(PostgresLedger, AStopEndsTheWaitForAServer) {
  make_tables();
  Ledger ledger(place_);
  const auto record = record_of({{1, 2}, {1, 2}});
  const auto id = ledger.begin(record);
  std::stop_source source;
  std::string heard;
  ledger.set_listener(
      [&](const std::string& text) {
        heard += text;
        source.request_stop();
      },
      source.get_token());
  server_->cut_off();
  EXPECT_EQ(test::code_of([&] { ledger.add_trial(id, record.log.trials[0]); }), Error::Code::ledger_away);
  server_->start();
  EXPECT_THAT(heard, testing::HasSubstr("can't be reached"));
  EXPECT_TRUE(Ledger(place_).read(id).log.trials.empty());
}

}  // namespace
}  // namespace assay::ledger
