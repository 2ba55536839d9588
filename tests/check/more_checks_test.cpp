#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "assay/check/output.hpp"

namespace assay::check {
namespace {
using testing::HasSubstr;
using testing::Optional;

Output answer(const std::string& text) { return {text, true, text, text.size()}; }

TEST(NumericTolerance, LetsNumbersDifferAndNothingElse) {
  EXPECT_TRUE(equal_within("total 100.01 min\n", "total 100 min\n", 1e-3));
  EXPECT_FALSE(equal_within("total 100.2 min\n", "total 100 min\n", 1e-3));
  EXPECT_FALSE(equal_within("total 100 hours\n", "total 100 min\n", 0.5));
  EXPECT_FALSE(equal_within("total 100 min\n", "total 100 min\nmore", 0.5));
  EXPECT_TRUE(equal_within("-1e-9 nan", "-1.0001e-9 nan", 1e-3));
  EXPECT_FALSE(equal_within("-1", "1", 0.5));
  EXPECT_FALSE(equal_within("lock7", "lock8", 0.5)) << "a digit in a name is no number";
  EXPECT_TRUE(equal_within("", "", 0.1));
  EXPECT_FALSE(equal_within("0", "0.1", 0.5));
  EXPECT_TRUE(equal_within("0", "0", 0.5));
}

TEST(ExpectedFile, ComparesBytesOrWithinATolerance) {
  OutputCheck check{.file = "answer.txt"};
  EXPECT_EQ(check_output(check, answer("total 3\n"), answer("total 3\n")), std::nullopt);
  EXPECT_THAT(check_output(check, answer("total 4\n"), answer("total 3\n")),
              Optional(HasSubstr("not that of answer.txt: line 1: \"total 4\", expected \"total 3\"")));
  check.tolerance = 0.5;
  EXPECT_EQ(check_output(check, answer("total 4\n"), answer("total 3\n")), std::nullopt);
}

TEST(MinimalSize, CountsTheWholeAnswer) {
  const OutputCheck check{.min_size = 8};
  EXPECT_EQ(check_output(check, answer("total 3\n"), {}), std::nullopt);
  EXPECT_THAT(check_output(check, answer("total 3"), {}), Optional(HasSubstr("7 bytes, at least 8")));
}

TEST(AnEmptyAnswer, PassesOnlyWeakChecks) {
  EXPECT_TRUE(accepts_empty_output({}));
  EXPECT_TRUE(accepts_empty_output({.equal = "stdout"}));
  EXPECT_TRUE(accepts_empty_output({.match = "^(total.*)?$"}));
  EXPECT_FALSE(accepts_empty_output({.match = "^total"}));
  EXPECT_FALSE(accepts_empty_output({.min_size = 1}));
  EXPECT_FALSE(accepts_empty_output({.program = {"./check"}}));
}

}  // namespace
}  // namespace assay::check
