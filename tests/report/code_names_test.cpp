#include "assay/report/code_names.hpp"

#include <gtest/gtest.h>

namespace assay::report {
namespace {

TEST(ShortName, LosesParametersAndTemplateArguments) {
  EXPECT_EQ(short_name("lock::open(int)"), "lock::open");
  EXPECT_EQ(short_name("std::vector<int, std::allocator<int> >::push_back(int&&)"), "std::vector::push_back");
  EXPECT_EQ(short_name("void std::sort<int*>(int*, int*)"), "std::sort");
  EXPECT_EQ(short_name("(anonymous namespace)::route(std::map<int, char> const&) const"),
            "(anonymous namespace)::route");
  EXPECT_EQ(short_name("int (anonymous namespace)::route<int>(int)"), "(anonymous namespace)::route");
  EXPECT_EQ(short_name("towpath::operator<(towpath::Leg, towpath::Leg)"), "towpath::operator<");
  EXPECT_EQ(short_name("Leg::operator()(int) const"), "Leg::operator()");
  EXPECT_EQ(short_name("main"), "main");
  EXPECT_EQ(short_name("calls into libraries"), "calls into libraries");
}

TEST(ShortNames, StayLongWhereTheyWouldBeAlike) {
  const auto names = short_names({"haul(int)", "haul(char)", "moor(int)"});
  EXPECT_EQ(names.at("haul(int)"), "haul(int)");
  EXPECT_EQ(names.at("haul(char)"), "haul(char)");
  EXPECT_EQ(names.at("moor(int)"), "moor");
}

}  // namespace
}  // namespace assay::report
