// Servers that behave and misbehave, and what comes back from them.

#include "assay/service/server.hpp"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <chrono>
#include <thread>

#include "assay/measure/file_io.hpp"
#include "assay/service/http_transport.hpp"
#include "assay/service/load.hpp"
#include "support/tool.hpp"

namespace assay::service {
namespace {

using test::Scratch;
using testing::HasSubstr;

ServerSpec serving(std::vector<std::string> words, Readiness ready = {}) {
  const int port = measure::free_port();
  words.insert(words.begin(), {"serve", std::to_string(port)});
  return {.command = {.program = SERVE, .arguments = std::move(words)},
          .address = {.port = port, .socket = {}},
          .ready = std::move(ready),
          .grace = 0.3};
}

class ServerTest : public testing::Test {
 protected:
  /// What comes back when a server of this mode is asked so many times by one client.
  std::vector<std::pair<RequestResult, std::string>> ask(const std::vector<std::string>& words,
                                                         std::size_t count,
                                                         const Request& request = {.path = "/locks"},
                                                         double timeout = 5) {
    Server server(launcher_, serving(words));
    const auto problem = server.start({});
    EXPECT_FALSE(problem) << *problem;
    const auto carrier = socket_transport(server.address());
    EXPECT_EQ(carrier->open(1, 1), 0U);
    const auto wires = encode(std::vector{request}, server.address());
    std::vector<std::pair<RequestResult, std::string>> replies;
    run_closed_loop(
        *carrier, {.requests = wires, .first = 0, .count = count, .timeout = timeout, .slots = 1},
        [&](const RequestResult& sent, const std::string& body) { replies.emplace_back(sent, body); }, {});
    reopened_ = carrier->reopened();
    server.stop({});
    return replies;
  }

  measure::Launcher launcher_;
  std::size_t reopened_ = 0;
};

TEST_F(ServerTest, RepliesAreReadHoweverTheyCome) {
  for (const char* mode : {"plain", "chunked", "bytewise", "closing", "eof", "interim"}) {
    const auto replies = ask({mode}, 3);
    ASSERT_EQ(replies.size(), 3U) << mode;
    for (const auto& [sent, body] : replies) {
      EXPECT_EQ(sent.error, RequestError::none) << mode << ": " << to_string(sent.error);
      EXPECT_EQ(sent.status, 200) << mode;
      EXPECT_EQ(body, "GET /locks") << mode;
      EXPECT_GT(sent.latency, 0);
    }
    EXPECT_EQ(reopened_, mode == std::string("closing") || mode == std::string("eof") ? 2U : 0U) << mode;
  }
}

TEST_F(ServerTest, AHeadHasNoBodyAndAPostSendsOne) {
  EXPECT_EQ(ask({"plain"}, 2, {.method = "HEAD", .path = "/locks"}).back().second, "");
  EXPECT_EQ(ask({"plain"}, 2, {.method = "POST", .path = "/locks", .body = "open"}).back().second,
            "POST /locks with open");
}

TEST_F(ServerTest, FaultsAreDistinguished) {
  EXPECT_EQ(ask({"truncated"}, 1).front().first.error, RequestError::truncated);
  EXPECT_EQ(ask({"reset"}, 1).front().first.error, RequestError::reset);
  EXPECT_EQ(ask({"garbage"}, 1).front().first.error, RequestError::malformed);
  EXPECT_EQ(ask({"mute"}, 1, {.path = "/"}, 0.2).front().first.error, RequestError::timeout);
  EXPECT_EQ(ask({"failing", "1"}, 1).front().first.status, 503);
}

TEST_F(ServerTest, AServerThatDiesDiffersFromOneThatIsGone) {
  Server server(launcher_, serving({"dies", "2"}));
  ASSERT_FALSE(server.start({}));
  const auto carrier = socket_transport(server.address());
  ASSERT_EQ(carrier->open(1, 1), 0U);
  const auto wires = encode(std::vector<Request>{{.path = "/locks"}}, server.address());
  std::vector<RequestError> faults;
  const auto ask_again = [&](std::size_t count) {
    run_closed_loop(*carrier, {.requests = wires, .first = 0, .count = count, .timeout = 5, .slots = 1},
                    [&](const RequestResult& sent, const std::string&) { faults.push_back(sent.error); }, {});
  };
  ask_again(2);
  while (server.still_runs()) std::this_thread::sleep_for(std::chrono::milliseconds(1));
  ask_again(1);  // while it is ending, the kernel still takes connections for it
  EXPECT_EQ(faults, (std::vector{RequestError::none, RequestError::reset, RequestError::connect}));
  server.stop({});
}

TEST_F(ServerTest, EveryClientHasItsRepliesAndALoopIsOverWhenAllCame) {
  Server server(launcher_, serving({"plain"}));
  ASSERT_FALSE(server.start({}));
  const auto carrier = socket_transport(server.address());
  ASSERT_EQ(carrier->open(8, 8), 0U);
  const auto wires = encode(std::vector<Request>{{.path = "/a"}, {.path = "/b"}}, server.address());
  std::size_t replies = 0;
  const auto stretch = run_closed_loop(*carrier, {.requests = wires, .first = 1, .count = 501, .slots = 8},
                                       [&](const RequestResult& sent, const std::string& body) {
                                         EXPECT_EQ(body, sent.request == 0 ? "GET /a" : "GET /b");
                                         ++replies;
                                       },
                                       {});
  EXPECT_EQ(replies, 501U);
  EXPECT_EQ(std::ranges::count(stretch.sent, 1U, &RequestResult::request), 251) << "begins with the second";
  EXPECT_GT(stretch.in_flight, 0);
  EXPECT_GT(server.cpu(), 0);
  server.stop({});
}

TEST_F(ServerTest, AnOpenLoopCountsFromWhenARequestWasDue) {
  Server server(launcher_, serving({"stall", "300"}));
  ASSERT_FALSE(server.start({}));
  const auto carrier = socket_transport(server.address());
  ASSERT_EQ(carrier->open(1, 1), 0U);
  const auto wires = encode(std::vector<Request>{{.path = "/a"}}, server.address());
  const auto due = arrival_times(100, 500, false, 1);
  std::vector<double> latencies;
  const auto stretch = run_open_loop(
      *carrier, {.requests = wires, .first = 0, .count = 100, .slots = 1}, due, 1000,
      [&](const RequestResult& sent, const std::string&) { latencies.push_back(sent.latency); }, {});
  ASSERT_EQ(latencies.size(), 100U);
  // Half of them were due while the 50th held everything up, or soon after it.
  EXPECT_GE(std::ranges::count_if(latencies, [](double l) { return l > 0.1; }), 40);
  EXPECT_FALSE(stretch.gave_up);
  server.stop({});
}

TEST_F(ServerTest, ReadyByPathLogOrPort) {
  for (const auto& ready :
       {Readiness{}, Readiness{.path = "/health", .log = {}}, Readiness{.path = {}, .log = "^listening"}}) {
    Server server(launcher_, serving({"plain"}, ready));
    EXPECT_FALSE(server.start({}));
    EXPECT_GT(server.start_seconds(), 0);
    EXPECT_TRUE(server.still_runs());
    const auto result = server.stop({});
    EXPECT_EQ(result.signal, SIGTERM);
  }
}

TEST_F(ServerTest, OneThatNeverGetsReadyIsReportedWithTheEndOfItsLog) {
  Server never(launcher_, serving({"never"}, {.path = {}, .log = {}, .timeout = 0.3}));
  EXPECT_THAT(never.start({}).value(),
              testing::AllOf(HasSubstr("was not ready within"), HasSubstr("looking for the lock-keeper")));
  never.stop({});
  Server gone(launcher_, serving({"absent"}));
  EXPECT_THAT(gone.start({}).value(), HasSubstr("ended before it was ready"));
  EXPECT_EQ(gone.stop({}).exit_status, 77);
  Server wrong_path(launcher_, serving({"failing", "1"}, {.path = "/", .log = {}, .timeout = 0.3}));
  EXPECT_TRUE(wrong_path.start({})) << "503 is not ready";
  wrong_path.stop({});
}

TEST_F(ServerTest, APortThatAnotherProgramHasIsNoticed) {
  auto first = serving({"sharing"});
  Server holder(launcher_, first);
  ASSERT_FALSE(holder.start({}));
  Server intruder(launcher_, first);  // shares the port
  EXPECT_THAT(intruder.start({}).value(), HasSubstr("shares its port"));
  EXPECT_TRUE(intruder.port_taken());
  auto other = serving({"never"}, {.path = {}, .log = {}, .timeout = 1});
  other.address = first.address;
  Server deaf(launcher_, other);  // listens nowhere, and the holder answers in its place
  EXPECT_THAT(deaf.start({}).value(), HasSubstr("does not listen on its port"));
}

TEST_F(ServerTest, OneThatIgnoresItsStopSignalIsKilled) {
  Server server(launcher_, serving({"deaf"}));
  ASSERT_FALSE(server.start({}));
  EXPECT_EQ(server.stop({}).signal, SIGKILL);
}

TEST_F(ServerTest, AUnixSocketServesAsWell) {
  const Scratch scratch;
  const auto path = scratch.path("s.sock");
  Server server(launcher_, {.command = {.program = SERVE, .arguments = {"serve", path, "plain"}},
                            .address = {.port = 0, .socket = path}});
  ASSERT_FALSE(server.start({}));
  const auto carrier = socket_transport(server.address());
  EXPECT_EQ(carrier->open(1, 1), 0U);
  const auto wires = encode(std::vector<Request>{{.path = "/a"}}, server.address());
  const auto stretch = run_closed_loop(*carrier, {.requests = wires, .first = 0, .count = 3, .slots = 1},
                                       [](const RequestResult&, const std::string&) {}, {});
  EXPECT_EQ(stretch.sent.back().status, 200);
}

TEST(ArrivalTimes, HaveTheRateAndRepeatForASeed) {
  const auto even = arrival_times(11, 10, false, 1);
  EXPECT_EQ(even.front(), 0);
  EXPECT_DOUBLE_EQ(even.back(), 1);
  const auto random = arrival_times(20001, 100, true, 7);
  EXPECT_EQ(random, arrival_times(20001, 100, true, 7));
  EXPECT_NE(random, arrival_times(20001, 100, true, 8));
  // The mean of 20000 exponential spaces of 10 ms: 0.07 ms standard deviation; seven of them.
  EXPECT_NEAR(random.back() / 20000, 0.01, 0.0005);
  EXPECT_TRUE(std::ranges::is_sorted(random));
}

TEST(IsOverloaded, TrueJustBeyondItsThresholds) {
  const auto overloaded = [](std::size_t outstanding, std::size_t at_half) {
    LoadResult stretch;
    stretch.outstanding = outstanding;
    stretch.outstanding_at_half = at_half;
    return is_overloaded(stretch, 1000);
  };
  EXPECT_FALSE(overloaded(20, 0)) << "2 % and no more";
  EXPECT_TRUE(overloaded(21, 0));
  EXPECT_FALSE(overloaded(40, 20)) << "it does not grow";
  EXPECT_TRUE(overloaded(41, 20));
  LoadResult given_up;
  given_up.gave_up = true;
  EXPECT_TRUE(is_overloaded(given_up, 1000));
}

}  // namespace
}  // namespace assay::service
