#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "support/tool.hpp"

namespace assay::test {
using namespace model;
namespace {

constexpr const char* users_program = R"(
#include <assay/error.hpp>
#include <assay/samples.hpp>
#include <assay/gate.hpp>
#include <assay/judge.hpp>
#include <assay/ledger.hpp>
#include <assay/plan.hpp>
#include <assay/report.hpp>
#include <assay/version.hpp>
#include <fstream>
#include <iostream>
#include <vector>
int main() {
  const std::vector<double> a = {1, 2, 3, 4, 5, 6, 7}, b = {2, 4, 6, 8, 10, 12, 14};
  const auto paired = assay::compare_paired(a, b, {.metric = "time", .unit = "s"});
  std::ofstream("s.csv") << "candidate,metric,value,round\na,t,1,1\nb,t,2,1\na,t,1,2\nb,t,2,2\n";
  const auto results = assay::compare_samples(assay::read_samples("s.csv"));
  if (!assay::is_record(assay::record_to_json(results.record())) || results.text().empty() ||
      results.markdown().empty() || results.gate().status == assay::GateStatus::failed ||
      assay::version[0] == 0)
    return 1;
  try {
    assay::read_plan("none.toml");
  } catch (const assay::Error&) {
    for (const auto& row : paired.comparisons()) std::cout << row.verdict() << " " << row.change().value << "\n";
  }
}
)";

constexpr const char* users_contest = R"(
#include <assay/contest.hpp>
#include <string>
int main(int argc, char** argv) {
  assay::Contest contest("words");
  contest.input([](const assay::Setting&) { return std::string(100, 'x'); });
  contest.baseline("copy", [](const std::string& s) { return s + "!"; });
  contest.candidate("length", [](const std::string& s) { return std::string(s.size() + 1, '!'); });
  contest.skip_answer_check();
  contest.options().watch = {"allocations"};
  return assay::run_main(contest, argc, argv);
}
)";

constexpr const char* users_project = R"(
cmake_minimum_required(VERSION 3.25)
project(user LANGUAGES CXX)
set(CMAKE_CXX_STANDARD 20)
find_package(assay 0.1 REQUIRED)
add_executable(user user.cpp)
target_link_libraries(user PRIVATE assay::assay)
add_executable(contest contest.cpp)
target_link_libraries(contest PRIVATE assay::assay assay::allocations)
)";

TEST(Install, FindPackageAndPkgConfigWork) {
  const Scratch scratch;
  const auto prefix = scratch.path("prefix");
  ASSERT_EQ(run(scratch, {"/usr/bin/cmake", "--install", ASSAY_BUILD, "--prefix", prefix}).status, 0);
  EXPECT_THAT(run(scratch, {prefix + "/bin/assay", "--version"}).out, testing::StartsWith("assay"));

  scratch.file("user/user.cpp", users_program);
  scratch.file("user/contest.cpp", users_contest);
  scratch.file("user/CMakeLists.txt", users_project);
  auto ran = run(scratch, {"/usr/bin/cmake", "-S", "user", "-B", "build", "-G", "Ninja",
                           "-DCMAKE_PREFIX_PATH=" + prefix});
  ASSERT_EQ(ran.status, 0) << ran.out << ran.err;
  ran = run(scratch, {"/usr/bin/cmake", "--build", "build"});
  ASSERT_EQ(ran.status, 0) << ran.out << ran.err;
  EXPECT_EQ(run(scratch, {scratch.path("build/user")}).out, "worse 1\n");
  ran = run(scratch, {scratch.path("build/contest"), "--rounds", "6", "--budget", "30ms"});
  EXPECT_EQ(ran.status, 0) << ran.err;
  EXPECT_THAT(ran.out, testing::HasSubstr("allocations, lower is better"));

  const auto flags =
      run(scratch, {"/bin/sh", "-c",
                    "PKG_CONFIG_PATH=$(dirname $(find " + prefix +
                        " -name assay.pc)) pkg-config --define-prefix --cflags --libs --static assay"});
  EXPECT_EQ(flags.status, 0) << flags.err;
  EXPECT_THAT(flags.out, testing::HasSubstr("-lassay"));
  EXPECT_THAT(flags.out, testing::HasSubstr(prefix + "/include"));
}

}  // namespace
}  // namespace assay::test
