// Asks launchers for everything they can do, for scripts/valgrind.sh: single programs, programs abreast,
// in slices, servers, what is left running, what runs too long, what can't be started, stop requests, several at once.

#include <chrono>
#include <cstdio>
#include <stop_token>
#include <thread>
#include <vector>

#include "assay/measure/process.hpp"

namespace {

using namespace assay::measure;

int wrong = 0;

void expect(bool condition, const char* what) {
  if (condition) return;
  std::fprintf(stderr, "wrong: %s\n", what);
  ++wrong;
}

Command shell(const char* script) { return {.program = "/bin/sh", .arguments = {"sh", "-c", script}}; }

}  // namespace

int main() {
  using std::chrono::milliseconds;
  Launcher launcher;
  const Command nothing{.program = "/bin/true", .arguments = {"true"}};
  const auto leaving = shell("sleep 5 & setsid sleep 5 & sleep 0.05; exit 3");
  for (int i = 0; i < 10; ++i) {
    expect(launcher.run(nothing).exit_status == 0, "status of nothing");
    const auto left = launcher.run(leaving);
    expect(left.orphans == 2 && left.exit_status == 3, "what is left running");
  }
  const auto spin = shell("i=0; while [ $i -lt 20000 ]; do i=$((i+1)); done");
  for (const auto& result :
       launcher.run_abreast(std::vector<Command>{spin, spin, spin}, cores_allowed().back()))
    expect(result.exit_status == 0 && result.user > 0, "abreast");
  for (const auto& result : launcher.run_in_slices(std::vector<Command>{spin, spin, leaving}, 0.005, 7))
    expect(result.wall > 0 && result.left_group, "slices, with a process that is in no program's group");
  Command sleep{.program = "/bin/sleep", .arguments = {"sleep", "60"}};
  auto brief = sleep;
  brief.timeout = brief.grace = 0.3;
  expect(launcher.run(brief).timed_out, "a time limit");
  launcher.run({.program = "/nonexistent", .arguments = {"x"}});
  auto server = launcher.start(sleep);
  std::this_thread::sleep_for(milliseconds(300));  // valgrind's vfork does not wait for the exec
  expect(server.still_runs(), "a server");
  server.stop();
  expect(server.wait().signal == SIGTERM, "a server that is asked to end");
  std::stop_source stop;
  std::jthread later([&] {
    std::this_thread::sleep_for(milliseconds(300));
    stop.request_stop();
  });
  expect(launcher.run(sleep, stop.get_token()).interrupted, "a stop request");
  const auto many = [&] {
    for (int i = 0; i < 10; ++i) launcher.run(nothing);
  };
  std::jthread one(many), other(many);
  one.join();
  other.join();
  return wrong == 0 ? 0 : 1;
}
