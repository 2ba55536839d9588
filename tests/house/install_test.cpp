#include <gtest/gtest.h>

#include "support/tool.hpp"

namespace assay::test {
namespace {

constexpr const char* program = R"(
#include <assay/error.hpp>
#include <assay/judge.hpp>
#include <assay/ledger.hpp>
#include <assay/plan.hpp>
#include <cstdio>
#include <vector>
int main() {
  const std::vector<double> a = {1, 2, 3, 4, 5, 6, 7}, b = {2, 4, 6, 8, 10, 12, 14};
  const auto finding = assay::judge_paired(a, b, {.metric = {"time", "s"}});
  try {
    assay::read_plan("none.toml");
  } catch (const assay::Error&) {
    std::printf("%s %.1f\n", assay::to_string(finding.verdict).c_str(), finding.effect);
  }
}
)";

constexpr const char* project = R"(
cmake_minimum_required(VERSION 3.25)
project(user LANGUAGES CXX)
set(CMAKE_CXX_STANDARD 20)
find_package(assay 0.1 REQUIRED)
add_executable(user user.cpp)
target_link_libraries(user PRIVATE assay::assay)
)";

TEST(Install, FindPackageAndPkgConfigWork) {
  const Scratch scratch;
  const auto prefix = scratch.path("prefix");
  ASSERT_EQ(run(scratch, {"/usr/bin/cmake", "--install", ASSAY_BUILD, "--prefix", prefix}).status, 0);
  EXPECT_THAT(run(scratch, {prefix + "/bin/assay", "--version"}).out, testing::StartsWith("assay"));

  scratch.file("user/user.cpp", program);
  scratch.file("user/CMakeLists.txt", project);
  auto ran = run(scratch, {"/usr/bin/cmake", "-S", "user", "-B", "build", "-G", "Ninja",
                           "-DCMAKE_PREFIX_PATH=" + prefix});
  ASSERT_EQ(ran.status, 0) << ran.out << ran.err;
  ran = run(scratch, {"/usr/bin/cmake", "--build", "build"});
  ASSERT_EQ(ran.status, 0) << ran.out << ran.err;
  EXPECT_EQ(run(scratch, {scratch.path("build/user")}).out, "worse 2.0\n");

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
