#include "assay/measure/sampling.hpp"

#include <gmock/gmock.h>
#include <gtest/gtest.h>
#include <sched.h>
#include <unistd.h>

#include <cmath>
#include <ctime>
#include <filesystem>
#include <map>
#include <memory>
#include <utility>

#include "assay/measure/process.hpp"
#include "assay/measure/system_load.hpp"
#include "assay/places/names.hpp"
#include "assay/places/stack_callers.hpp"
#include "support/tool.hpp"

namespace assay::measure {
namespace {

using test::Scratch;
using testing::HasSubstr;

Command sampled(std::vector<std::string> arguments, const std::string& program = SAMPLED) {
  arguments.insert(arguments.begin(), "sampled");
  return {.program = program, .arguments = std::move(arguments), .sampling = Sampling{.phase_ns = 100'000}};
}

/// Samples by the name of their function.
std::map<std::string, double> by_name(const CodeSamples& code) {
  places::Names names;
  std::map<std::string, double> all;
  for (const auto& place : code.places) all[names.of(place)] += static_cast<double>(place.samples);
  return all;
}

class SamplingTest : public testing::Test {
 protected:
  void SetUp() override {
    const std::vector<int> core = {cores_allowed().front()};
    const Sampler tried(getpid(), core, {});
    if (!tried.problem().empty()) GTEST_SKIP() << tried.problem();
  }

  /// What a run shows, and the CPU seconds that the host took away meanwhile: these can't be sampled.
  std::pair<ProcessResult, double> run_noting_stolen(const Command& command) {
    const LoadMonitor monitor;
    const auto before = monitor.now();
    auto result = launcher_.run(command);
    return {std::move(result), monitor.now().steal.value_or(0) - before.steal.value_or(0)};
  }

  Launcher launcher_;
};

TEST_F(SamplingTest, SharesAreThoseOfTheFunctions) {
  const auto [result, stolen] = run_noting_stolen(sampled({"180", "60"}));
  ASSERT_EQ(result.exit_status, 0);
  ASSERT_TRUE(result.code);
  EXPECT_EQ(result.code->problem, "");
  auto names = by_name(*result.code);
  const double first = names["first_part"], second = names["second_part"], both = first + second;
  ASSERT_GT(both, 100);
  // Three quarters, within five standard deviations of samples at random: 6e-7.
  EXPECT_NEAR(first / both, 0.75, 5 * std::sqrt(0.75 * 0.25 / both));
  const double seconds = static_cast<double>(result.code->taken) * result.code->period;
  EXPECT_GT(seconds + stolen, 0.5 * (result.user + result.system));
  EXPECT_LT(seconds, 1.1 * (result.user + result.system));
}

TEST_F(SamplingTest, OnlyWhatWasTakenWithinTheStretchesCounts) {
  auto command = sampled({"60", "20"});
  command.sampling->within = std::make_shared<std::vector<std::pair<double, double>>>();
  const auto none = launcher_.run(command);
  ASSERT_TRUE(none.code);
  EXPECT_EQ(none.code->taken, 0U);
  command.sampling->within->emplace_back(0, 1e9);  // thirty years after the start
  const auto all = launcher_.run(command);
  ASSERT_TRUE(all.code);
  EXPECT_GT(all.code->taken, 50U);
}

TEST_F(SamplingTest, NothingIsSampledThatCameBeforeTheProgram) {
  auto command = sampled({"20", "0"});
  command.sampling->phase_ns = 30'000'000;  // much longer than what the program takes to start
  const auto result = launcher_.run(command);
  ASSERT_TRUE(result.code);
  ASSERT_GT(result.code->taken, 0U);
  for (const auto& place : result.code->places) EXPECT_EQ(place.file.find("launcher"), std::string::npos);
  EXPECT_LT(static_cast<double>(result.code->taken) * result.code->period, 1.5 * result.user + result.system);
}

TEST_F(SamplingTest, ProgramsThatRunAtOnceAreToldApart) {
  const std::vector<Command> two = {sampled({"150", "0"}), sampled({"0", "150"})};
  for (const bool abreast : {true, false}) {
    const auto results = abreast ? launcher_.run_abreast(two, cores_allowed().front())
                                 : launcher_.run_in_slices(two, 0.005, 1);
    ASSERT_TRUE(results[0].code && results[1].code);
    auto first = by_name(*results[0].code), second = by_name(*results[1].code);
    EXPECT_GT(first["first_part"], 50) << abreast;
    EXPECT_LT(first["second_part"], 10) << "it is called, and does nothing";
    EXPECT_GT(second["second_part"], 50);
    EXPECT_LT(second["first_part"], 10);
  }
}

/// The kernel reports what happens on the cores that are sampled only: there the launcher need not be.
TEST_F(SamplingTest, TheLauncherMayRunOnAnotherCore) {
  const auto cores = cores_allowed();
  if (cores.size() < 2) GTEST_SKIP() << "one core only";
  cpu_set_t all, first;
  sched_getaffinity(0, sizeof all, &all);
  CPU_ZERO(&first);
  CPU_SET(static_cast<std::size_t>(cores.front()), &first);
  sched_setaffinity(0, sizeof first, &first);
  Launcher there;
  sched_setaffinity(0, sizeof all, &all);
  auto command = sampled({"150", "0"});
  command.cores = {cores.back()};
  EXPECT_GT(by_name(*there.run(command).code)["first_part"], 50);
}

TEST_F(SamplingTest, ThreadsAndChildrenCount) {
  /// Samples of the first part, as many as there would be had the host taken nothing away.
  const auto most_samples = [&](const Command& command) {
    const auto [result, stolen] = run_noting_stolen(command);
    return by_name(*result.code)["first_part"] + stolen / result.code->period;
  };
  const double one = by_name(*launcher_.run(sampled({"150", "0"})).code)["first_part"];
  for (const auto* how : {"threads", "children"})
    EXPECT_GT(most_samples(sampled({"150", "0", how})), 1.3 * one) << how;
  auto script = sampled({});
  script.program = "/bin/sh";
  script.arguments = {"sh", "-c", std::string(SAMPLED) + " 150 0; true"};
  EXPECT_GT(most_samples(script), 0.5 * one) << "a child that became a program";
}

/// Shares of the samples in libraries, by the function of the program that called them; "" where none is known.
std::map<std::string, double> by_caller(const CodeSamples& code) {
  places::Names names;
  std::map<std::string, double> all;
  double sum = 0;
  for (const auto& place : code.places) {
    if (place.in_program) continue;
    sum += static_cast<double>(place.samples);
    const bool found = !place.callers.empty() && place.callers.back().in_program;
    all[found ? names.of(place.callers.back()) : ""] += static_cast<double>(place.samples);
  }
  for (auto& [name, samples] : all) samples /= sum;
  return all;
}

/// On one core more of the stack is copied: enough for what print_numbers calls, whose buffers are a KiB.
TEST_F(SamplingTest, CallersOfLibrariesAreFound) {
#ifndef __x86_64__
  GTEST_SKIP() << "stacks are read on x86-64 only";
#endif
  auto command = sampled({"2", "20", "library"});
  command.sampling->callers = std::make_shared<places::StackCallers>();
  command.cores = {cores_allowed().front()};
  const auto result = launcher_.run(command);
  ASSERT_TRUE(result.code);
  auto callers = by_caller(*result.code);
  EXPECT_GT(callers["print_numbers"], 0.05);
  EXPECT_GT(callers["compare_texts"], 0.05);
  EXPECT_GT(callers["print_numbers"] + callers["compare_texts"], 0.9);
  EXPECT_EQ(callers.count("main"), 0U) << "whose call is further away";

  command.cores = cores_allowed();
  const auto on_all = launcher_.run(command);
  EXPECT_GT(by_caller(*on_all.code)["compare_texts"], 0.05);
  command.sampling->callers = nullptr;
  EXPECT_GT(by_caller(*launcher_.run(command).code)[""], 0.99) << "no stacks were copied";
}

TEST_F(SamplingTest, AThreadIsSampledByTheTimesOfItsStretches) {
  ThreadSampler sampler({.period_ns = 100'000});
  ASSERT_EQ(sampler.problem(), "");
  const auto now = [] {
    timespec t{};
    clock_gettime(CLOCK_MONOTONIC, &t);
    return static_cast<std::uint64_t>(t.tv_sec) * 1'000'000'000U + static_cast<std::uint64_t>(t.tv_nsec);
  };
  const auto spin = [&](std::uint64_t nanoseconds) {
    const auto begin = now();
    while (now() - begin < nanoseconds) {
    }
    return ThreadSampler::Stretch{.begin = begin, .end = now()};
  };
  std::vector<ThreadSampler::Stretch> stretches;
  for (int i = 0; i < 20; ++i) {
    for (const std::size_t program : {0U, 1U}) {
      stretches.push_back(spin(program == 0 ? 15'000'000 : 5'000'000));
      stretches.back().program = program;
    }
    spin(5'000'000);  // of none of them
    sampler.relieve();
  }
  const auto code = sampler.end(stretches, 3);
  ASSERT_EQ(code.size(), 3U);
  // 300 ms and 100 ms of time, 3 000 and 1 000 samples less what others had of the core.
  EXPECT_GT(code[0].taken, code[1].taken);
  EXPECT_GT(code[1].taken, 50U);
  EXPECT_LT(code[0].taken, 3'200U);
  EXPECT_EQ(code[2].taken, 0U);
  bool in_program = false;
  for (const auto& place : code[0].places) in_program = in_program || place.in_program;
  EXPECT_TRUE(in_program);
}

TEST_F(SamplingTest, AServerIsSampledWhileItRuns) {
  auto server = launcher_.start(sampled({"150", "50"}));
  while (server.still_runs()) usleep(10'000);
  const auto result = server.wait();
  ASSERT_TRUE(result.code);
  EXPECT_GT(by_name(*result.code)["first_part"], 50);
}

TEST(Sampling, WhatIsRefusedIsAProblemAndNoError) {
  const std::vector<int> no_core = {100'000};
  Sampler sampler(getpid(), no_core, {});
  EXPECT_THAT(sampler.problem(), HasSubstr("can't be sampled here"));
  EXPECT_THAT(sampler.problem(), HasSubstr("kernel.perf_event_paranoid=2"));
  sampler.relieve();
  const std::vector<int> pids = {1, 2};
  const auto none = sampler.end(pids);
  ASSERT_EQ(none.size(), 2U);
  EXPECT_EQ(none[1].taken, 0U);
  EXPECT_EQ(none[1].problem, sampler.problem());
}

std::map<std::string, double> names_in(Launcher& launcher, const std::string& program) {
  return by_name(*launcher.run(sampled({"180", "60"}, program)).code);
}

/// Shares do not depend on where names come from.
TEST_F(SamplingTest, StrippedProgramsHaveTheirFunctionsByRange) {
  const Scratch scratch;
  const auto stripped = scratch.path("stripped"), debug = scratch.path("stripped.debug");
  ASSERT_EQ(test::run(scratch, {"/usr/bin/strip", "-o", stripped, SAMPLED}).status, 0);
  auto names = names_in(launcher_, stripped);
  double largest = 0;
  for (const auto& [name, samples] : names)
    if (name.starts_with("function at ") && name.ends_with(" in stripped"))
      largest = std::max(largest, samples);
  EXPECT_EQ(names["first_part"], 0);
  EXPECT_GT(largest, 50);

  ASSERT_EQ(test::run(scratch, {"/usr/bin/objcopy", "--only-keep-debug", SAMPLED, debug}).status, 0);
  ASSERT_EQ(test::run(scratch, {"/usr/bin/objcopy", "--add-gnu-debuglink=" + debug, stripped}).status, 0);
  EXPECT_GT(names_in(launcher_, stripped)["first_part"], 50) << "its symbols lie beside it";
}

TEST_F(SamplingTest, AFileThatWasReplacedSinceHasNoNames) {
  const Scratch scratch;
  const auto program = scratch.path("program");
  std::filesystem::copy_file(SAMPLED, program);
  const auto result = launcher_.run(sampled({"180", "60"}, program));
  std::filesystem::remove(program);
  std::filesystem::copy_file(BEHAVE, program);
  places::Names names;
  for (const auto& place : result.code->places)
    if (place.file == program) EXPECT_EQ(names.of(place), "code in program");
  EXPECT_THAT(names.replaced_files(), testing::ElementsAre(program));
}

}  // namespace
}  // namespace assay::measure
