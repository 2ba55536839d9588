#include "assay/measure/system_load.hpp"

#include <gtest/gtest.h>

#include "assay/measure/machine.hpp"
#include "assay/measure/noise.hpp"
#include "support/tool.hpp"

namespace assay::measure {
namespace {

using test::Scratch;

TEST(Watch, ReadsThisMachinesAccounts) {
  const LoadMonitor watch;
  const auto before = watch.now();
  ASSERT_TRUE(before.load && before.busy && before.steal);
  Launcher launcher;
  const auto result = launcher.run({.program = BEHAVE, .arguments = {"behave", "spin", "0.3"}});
  const auto found = difference(before, watch.now(), result.user + result.system);
  EXPECT_FALSE(found.suspended);
  EXPECT_GE(*found.steal, 0);
  EXPECT_GE(*found.other_load, -0.35) << "the trial's own time is taken off, as far as ticks tell";
}

TEST(Watch, ReadsFrequencyPowerAndThrottlingWhereThereAreAny) {
  const Scratch machine;
  machine.file("proc/loadavg", "1.25 0.9 0.8 1/100 42\n");
  machine.file("proc/stat", "cpu  100 0 50 1000 0 0 0 30 0 0\ncpu0 1 1 1 1\n");
  machine.file("sys/devices/system/cpu/cpu0/cpufreq/scaling_cur_freq", "2000000\n");
  machine.file("sys/devices/system/cpu/cpu1/cpufreq/scaling_cur_freq", "3000000\n");
  machine.file("sys/devices/system/cpu/cpu0/thermal_throttle/core_throttle_count", "7\n");
  machine.file("sys/class/power_supply/AC/type", "Mains\n");
  machine.file("sys/class/power_supply/AC/online", "0\n");
  machine.file("sys/class/power_supply/BAT0/type", "Battery\n");
  machine.file("sys/class/power_supply/BAT0/online", "1\n");
  const LoadMonitor watch(machine.path());
  const auto before = watch.now();
  EXPECT_EQ(before.load, 1.25);
  EXPECT_EQ(before.frequency, 2.5e9);
  EXPECT_EQ(before.on_battery, true);
  EXPECT_EQ(before.throttlings, 7);
  machine.file("proc/stat", "cpu  150 0 50 1000 0 0 0 130 0 0\n");
  machine.file("sys/devices/system/cpu/cpu0/thermal_throttle/core_throttle_count", "9\n");
  const auto found = difference(before, watch.now(), 0.2);
  const double tick = 1.0 / static_cast<double>(sysconf(_SC_CLK_TCK));
  EXPECT_NEAR(*found.steal, 100 * tick, 1e-9);
  EXPECT_NEAR(*found.other_load, 50 * tick - 0.2, 1e-9);
  EXPECT_EQ(found.throttlings, 2);
}

TEST(Watch, LeavesEmptyWhatTheMachineDoesNotTell) {
  const Scratch nothing;
  const auto moment = LoadMonitor(nothing.path()).now();
  EXPECT_FALSE(moment.load || moment.busy || moment.frequency || moment.on_battery || moment.throttlings);
}

TEST(Between, SleepIsWhatTheClocksPartBy) {
  const LoadSample before{.monotonic = 100, .boottime = 500};
  EXPECT_FALSE(difference(before, {.monotonic = 101, .boottime = 501.009}, 0).suspended);
  EXPECT_TRUE(difference(before, {.monotonic = 101, .boottime = 501.011}, 0).suspended);
}

TEST(MachineFacts, SayWhatMattersAndNoNames) {
  const auto facts = machine_facts();
  const auto has = [&](const std::string& name) {
    return std::ranges::any_of(facts,
                               [&](const MachineFact& f) { return f.name == name && !f.value.empty(); });
  };
  for (const auto* name : {"processor", "cores", "kernel", "virtual machine"}) EXPECT_TRUE(has(name)) << name;
  char host[256] = {};
  gethostname(host, sizeof host - 1);
  for (const auto& fact : facts) EXPECT_NE(fact.value, host);
}

TEST(Noise, TheClockAndALaunchCostSomethingPlausible) {
  const auto clock = clock_cost();
  EXPECT_GT(clock.overhead, 0);
  EXPECT_LT(clock.resolution, 1);
  Launcher launcher;
  EXPECT_GT(launch_cost(launcher, 5), 0);
}

TEST(Noise, AProbeThatIsStoppedGivesWhatItHas) {
  Launcher launcher;
  std::stop_source source;
  int told = 0;
  const auto noise = probe_noise(launcher, source.get_token(), [&](int, int) {
    if (++told == 2) source.request_stop();
  });
  ASSERT_EQ(noise.size(), 2U);
  EXPECT_GT(noise[0].turns.size(), 100U);
  EXPECT_TRUE(noise[1].turns.empty());
}

}  // namespace
}  // namespace assay::measure
