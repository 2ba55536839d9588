#include "assay/places/names.hpp"

#include <gtest/gtest.h>

#include <filesystem>

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
