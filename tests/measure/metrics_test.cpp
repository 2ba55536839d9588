#include <gtest/gtest.h>

#include <fstream>

#include "assay/measure/process.hpp"
#include "assay/measure/program_file.hpp"
#include "support/tool.hpp"

namespace assay::measure {
namespace {

using test::Scratch;

constexpr double mebibyte = 1048576;

ProcessResult behave(Launcher& launcher, std::vector<std::string> steps) {
  Command command{.program = BEHAVE, .arguments = {"behave"}, .counting = {Counter::task_clock}};
  command.arguments.insert(command.arguments.end(), steps.begin(), steps.end());
  return launcher.run(command);
}

TEST(Metrics, FaultsAreThoseOfTheProgram) {
  Launcher launcher;
  const auto none = behave(launcher, {}), many = behave(launcher, {"fault", "5000"});
  // Each touched page is one fault; what both share may differ by a few.
  EXPECT_NEAR(many.faults_minor - none.faults_minor, 5000, 100);
  EXPECT_GE(none.faults_major, 0);
}

TEST(Metrics, SwitchesAreCounted) {
  Launcher launcher;
  const auto none = behave(launcher, {}), many = behave(launcher, {"switch", "200"});
  EXPECT_GE(many.switches_voluntary, 200);
  EXPECT_LT(none.switches_voluntary, 100);
}

TEST(Metrics, BytesReadAndWrittenAreExactToTheByte) {
  const Scratch scratch;
  const auto file = scratch.file("orders", std::string(3'000'000, 'x'));
  Launcher launcher;
  const auto none = behave(launcher, {"read", "/dev/null"}), read = behave(launcher, {"read", file}),
             wrote = behave(launcher, {"write", "1234567"});
  ASSERT_TRUE(none.bytes_read && none.bytes_written);
  EXPECT_EQ(*read.bytes_read - *none.bytes_read, 3'000'000);
  EXPECT_EQ(*wrote.bytes_written - *none.bytes_written, 1'234'567);
}

TEST(Metrics, BytesOfChildrenCountToo) {
  Launcher launcher;
  const auto result = launcher.run(
      {.program = "/bin/sh", .arguments = {"sh", "-c", std::string(BEHAVE) + " write 500000; true"}});
  EXPECT_GE(result.bytes_written.value_or(0), 500'000);
  EXPECT_LT(result.bytes_written.value_or(0), 510'000);
}

TEST(Metrics, TwoThreadsUseTwoCoresWorthOfCpuTime) {
  Launcher launcher;
  const auto result = behave(launcher, {"spin-two", "0.2"});
  EXPECT_GE(result.user + result.system, 0.38);
  EXPECT_GE(result.wall, 0.18);
}

TEST(Metrics, UserAndSystemTimeAddUpToCpuTime) {
  Launcher launcher;
  const auto result = behave(launcher, {"spin", "1"});
  EXPECT_NEAR(result.user + result.system, 1, 0.1);
  EXPECT_GT(result.user, result.system);
}

TEST(Metrics, PeakMemoryOfATreeIsThatOfItsLargestProcess) {
  Launcher launcher;
  const auto result = behave(launcher, {"tree", "3", "40"});
  EXPECT_GT(result.peak_memory, 40 * mebibyte);
  EXPECT_LT(result.peak_memory, 60 * mebibyte) << "not the sum of three";
}

TEST(Metrics, TimeOfChildrenThatNobodyWaitsForIsSeenByTheTaskClockOnly) {
  Launcher launcher;
  const auto result = behave(launcher, {"spin-unwaited", "0.3"});
  const auto clock = result.counts[static_cast<std::size_t>(Counter::task_clock)];
  if (!clock) GTEST_SKIP() << "no task clock here: " << launcher.counting_problem();
  EXPECT_GE(*clock * 1e-9, 0.29);
  EXPECT_LT(result.user + result.system, 0.2);
}

TEST(Metrics, TheTaskClockAgreesWithUsageOtherwise) {
  Launcher launcher;
  const auto first = behave(launcher, {"spin", "0.3"}), second = behave(launcher, {"spin", "0.1"});
  for (const auto* result : {&first, &second}) {
    const auto clock = result->counts[static_cast<std::size_t>(Counter::task_clock)];
    if (!clock) GTEST_SKIP() << "no task clock here: " << launcher.counting_problem();
    // What a host takes away from a virtual machine is in it; what ran before is not.
    EXPECT_GT(*clock * 1e-9, result->user + result->system - 0.05);
    EXPECT_LT(*clock * 1e-9, result->wall + 0.05) << "counted from one run to the next";
  }
}

TEST(Metrics, HardwareCountersCountOrSayWhyNot) {
  Launcher launcher;
  Command command{
      .program = BEHAVE, .arguments = {"behave", "spin", "0.05"}, .counting = {Counter::instructions}};
  const auto result = launcher.run(command);
  const auto count = result.counts[static_cast<std::size_t>(Counter::instructions)];
  if (count)
    EXPECT_GT(*count, 1e6);
  else
    EXPECT_FALSE(launcher.counting_problem().empty());
}

TEST(ProgramSize, AddsUpWhatIsLoaded) {
  const auto size = size_of_program(BEHAVE);
  ASSERT_TRUE(size && size->text && size->data);
  EXPECT_GT(*size->text, 10'000U);
  EXPECT_LT(*size->text + *size->data, size->file + 1'000'000);
  EXPECT_GT(size->file, *size->text);
}

TEST(ProgramSize, AScriptHasItsFileOnly) {
  const Scratch scratch;
  const auto size = size_of_program(scratch.file("go.sh", "#!/bin/sh\nexit 0\n"));
  ASSERT_TRUE(size);
  EXPECT_EQ(size->file, 17U);
  EXPECT_FALSE(size->text);
  EXPECT_FALSE(size_of_program("/nowhere"));
  // A header that promises more than the file holds.
  const auto cut = size_of_program(scratch.file("cut", test::read_file(BEHAVE).substr(0, 100)));
  ASSERT_TRUE(cut);
  EXPECT_FALSE(cut->text);
}

TEST(LoadedDigest, LeavesDebugInformationOut) {
  const Scratch scratch;
  const auto built = [&](const std::string& folder, const std::string& flags, const std::string& answer) {
    const auto source = scratch.file(
        folder + "/boat.c", "#include <stdio.h>\nint main(void) { return puts(\"" + answer + "\") < 0; }\n");
    const auto program = scratch.path(folder + "/boat");
    const auto ran = test::run(scratch, {"/bin/sh", "-c", "cc " + flags + " -o " + program + " " + source});
    EXPECT_EQ(ran.status, 0) << ran.err;
    return program;
  };
  const auto one = built("one", "-O1 -g", "seven locks"), two = built("other", "-O1 -g", "seven locks");
  EXPECT_NE(test::read_file(one), test::read_file(two)) << "they name their folders";
  EXPECT_EQ(loaded_digest_of(one), loaded_digest_of(two));
  EXPECT_EQ(loaded_digest_of(one), loaded_digest_of(built("bare", "-O1", "seven locks")));
  EXPECT_NE(loaded_digest_of(one), loaded_digest_of(built("text", "-O1 -g", "eight lock!")))
      << "as long, and another";
  EXPECT_NE(loaded_digest_of(one), loaded_digest_of(built("code", "-O0 -g", "seven locks")));

  EXPECT_EQ(loaded_digest_of(scratch.file("go.sh", "#!/bin/sh\nexit 0\n")), "");
  EXPECT_EQ(loaded_digest_of("/nowhere"), "");
  const auto whole = test::read_file(one);
  EXPECT_EQ(loaded_digest_of(scratch.file("cut", whole.substr(0, 100))), "");
}

}  // namespace
}  // namespace assay::measure
