#include "assay/places/names.hpp"

#include <gtest/gtest.h>
#include <unistd.h>

#include <filesystem>
#include <fstream>

#include "support/tool.hpp"

namespace assay::places {
namespace {

TEST(SourceName, IsDemangledWithoutWhatCompilersAppend) {
  EXPECT_EQ(source_name("main"), "main");
  EXPECT_EQ(source_name("_ZN4lock4openEi"), "lock::open(int)");
  EXPECT_EQ(source_name("_ZN4lock4openEi.constprop.0.cold"), "lock::open(int)");
  EXPECT_EQ(source_name("route.part.0"), "route");
  EXPECT_EQ(source_name("memcpy@@GLIBC_2.14"), "memcpy");
  EXPECT_EQ(source_name("_ZN5barge4haul17h0123456789abcdefE"), "barge::haul") << "Rust's older names";
  EXPECT_EQ(source_name("_RNvC5barge4haul"), "_RNvC5barge4haul") << "its newer ones stay";
  EXPECT_EQ(source_name("_Znonsense"), "_Znonsense");
  EXPECT_EQ(source_name(""), "");
}

TEST(RunTimeName, LosesMarkersAndPlaces) {
  EXPECT_EQ(run_time_name("JS:*haul /towpath/plan.js:3:10"), "haul");
  EXPECT_EQ(run_time_name("LazyCompile:~moor plan.js:3:10"), "moor");
  EXPECT_EQ(run_time_name("JS:^ /towpath/plan.js:30:10"), "function without a name in plan.js:30");
  EXPECT_EQ(run_time_name("Builtin:ArrayMap"), "Builtin:ArrayMap");
  EXPECT_EQ(run_time_name("towpath.Lock::open"), "towpath.Lock::open");
  EXPECT_EQ(run_time_name(""), "");
}

TEST(Names, OfCodeMadeAtRunTimeAreThoseThatItsProcessListed) {
  const auto pid = getpid();
  const auto path = "/tmp/perf-" + std::to_string(pid) + ".map";
  std::ofstream(path) << "1000 20 JS:*haul /towpath/plan.js:3:10\n2000 10 JS:~moor plan.js:9:1\nnonsense\n";
  Names names;
  EXPECT_EQ(names.of({.file = {}, .offset = 0x1010, .process = pid}), "haul");
  EXPECT_EQ(names.of({.file = "//anon", .offset = 0x200f, .process = pid}), "moor");
  EXPECT_EQ(names.of({.file = {}, .offset = 0x1020, .process = pid}), Names::unnamed_code);
  EXPECT_EQ(names.of({.file = {}, .offset = 0x1010, .process = 1}), Names::unnamed_code);
  std::filesystem::remove(path);
}

TEST(CodeFile, WhatIsNoProgramHasNoFunctions) {
  const test::Scratch scratch;
  for (const auto& path : {scratch.path("none"), scratch.file("text", "#!/bin/sh\n"),
                           scratch.file("cut", test::read_file(SAMPLED).substr(0, 3000)), scratch.path()}) {
    const CodeFile file(path);
    EXPECT_EQ(file.at_offset(4096), nullptr) << path;
    EXPECT_FALSE(file.has_names());
    EXPECT_FALSE(file.is_stub(4096));
  }
  EXPECT_TRUE(CodeFile(SAMPLED, "00ff").was_replaced());
}

TEST(CodeFile, FunctionsAreFoundByOffset) {
  const CodeFile file(SAMPLED);
  ASSERT_TRUE(file.has_names());
  int found = 0;
  for (const auto& function : file.functions())
    if (function.symbol == "first_part" || function.symbol == "second_part") ++found;
  EXPECT_EQ(found, 2);
}

}  // namespace
}  // namespace assay::places
