#include "assay/check/output.hpp"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "assay/model/text.hpp"

namespace assay::check {
namespace {

using testing::HasSubstr;

TEST(Check, EqualityIsByDigestAndTheFirstDifferenceIsShownWithItsLine) {
  const OutputCheck check{.equal = "stdout"};
  const Output expected{"total 17\nend\n", true, "a"}, wrong{"total 18\nend\n", true, "b"};
  EXPECT_FALSE(check_output(check, expected, expected));
  EXPECT_FALSE(check_output(check, wrong, {})) << "a baseline has nothing to be held against";
  EXPECT_THAT(check_output(check, wrong, expected).value(),
              HasSubstr("line 1: \"total 18\", expected \"total 17\""));
}

TEST(Check, APatternCatchesEmptyAnswers) {
  const OutputCheck check{.match = "^total \\d+"};
  EXPECT_FALSE(check_output(check, {"order 1\ntotal 17\n", true, "a"}, {}));
  EXPECT_THAT(check_output(check, {"", true, "e"}, {}).value(), HasSubstr("nothing on standard output"));
  EXPECT_THAT(check_output(check, {"sum 3\n", true, "s"}, {}).value(), HasSubstr("begins \"sum 3\""));
}

std::string difference(std::string_view text, std::string_view expected, bool whole = true) {
  return first_difference({text, whole, "a", text.size()}, {expected, whole, "b", expected.size()});
}

TEST(FirstDifference, FindsTheLine) {
  EXPECT_EQ(difference("a\nb\nc\n", "a\nx\nc\n"), "line 2: \"b\", expected \"x\"");
  EXPECT_EQ(difference("a\n", "a\nb\n"), "line 2: the end of the output, expected \"b\"");
  EXPECT_EQ(difference("", "a\n"), "line 1: the end of the output, expected \"a\"");
  EXPECT_EQ(difference("abc", "abcd"), "line 1: \"abc\", expected \"abcd\"");
  EXPECT_EQ(difference("ab", "ab", false), "") << "the difference is beyond what was kept";
}

TEST(FirstDifference, ShowsLengthsAndOneByteOfBinaryOutputs) {
  const std::string_view zeros("GZ\0\0\x01", 5), others("GZ\0\0\x02\x03", 6);
  EXPECT_EQ(difference(others, zeros), "binary, 6 bytes, expected 5, from byte 5 on");
  EXPECT_EQ(difference("text\n", "\xff\xfe"), "binary, 5 bytes, expected 2, from byte 1 on");
  const OutputCheck check{.match = "^total"};
  EXPECT_THAT(check_output(check, {zeros, true, "z", 5}, {}).value(), HasSubstr("which is binary (5 bytes)"));
}

TEST(IsBinary, LooksForZerosAndBrokenCharactersAndLetsOneBeCutAtTheEndOfItsLook) {
  EXPECT_FALSE(is_binary("schön\n"));
  EXPECT_FALSE(is_binary(""));
  EXPECT_TRUE(is_binary(std::string_view("a\0b", 3)));
  EXPECT_TRUE(is_binary("caf\xe9"));
  const auto cut = std::string(8191, 'a') + "ö and more";
  EXPECT_FALSE(is_binary(cut));
}

TEST(PrintableLine, MakesRubbishHarmless) {
  EXPECT_EQ(printable_line("a\x1b[31mb\x01"), "a?[31mb?");
  EXPECT_EQ(printable_line("schön", 60), "schön");
  EXPECT_EQ(printable_line("\xff\xfe", 60), "??");
  EXPECT_EQ(printable_line("abcdef", 3), "abc…");
}

TEST(Answer, NumbersBeyondWhatADoubleHoldsAreNotNearToOthers) {
  EXPECT_FALSE(equal_within("1e999", "0", 0.1));
  EXPECT_FALSE(equal_within("0", "1e999", 0.1));
  EXPECT_FALSE(equal_within("1e999", "1e998", 0.1));
  EXPECT_TRUE(equal_within("1e999 1.0", "1e999 1.01", 0.1));
}

}  // namespace
}  // namespace assay::check
