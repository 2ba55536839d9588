#include "assay/model/text.hpp"

#include <gtest/gtest.h>

namespace assay::model {
namespace {

TEST(Printable, KeepsTextAsItIs) {
  EXPECT_EQ(printable("heap on 3 200 locks: −21 % … ½, 水門\n\tnext"),
            "heap on 3 200 locks: −21 % … ½, 水門\n\tnext");
  EXPECT_EQ(printable(""), "");
}

TEST(Printable, TakesTheSteeringOut) {
  EXPECT_EQ(printable("a\x1b[31mb"), "a?[31mb") << "an escape";
  EXPECT_EQ(printable("a\rb\bc\x07"
                      "d\x7f"),
            "a?b?c?d?");
  EXPECT_EQ(printable("a\xc2\x9b"
                      "31m"),
            "a?31m")
      << "a control sequence in one character";
  EXPECT_EQ(printable("a\xe2\x80\xae"
                      "b"),
            "a?b")
      << "from right to left";
  EXPECT_EQ(printable("a\xe2\x80\xa8"
                      "b"),
            "a?b")
      << "a line break that is none of ours";
  EXPECT_EQ(printable(std::string("a\0b", 3)), "a?b");
  EXPECT_EQ(printable("a\x9b\xc3(\xff"),
            "a?"
            "?(?")
      << "no UTF-8";
}

TEST(Printable, KnowsTheLengthOfCharacters) {
  EXPECT_EQ(utf8_length("a"), 1U);
  EXPECT_EQ(utf8_length("½x"), 2U);
  EXPECT_EQ(utf8_length("水"), 3U);
  EXPECT_EQ(utf8_length("\xc2"), 0U);
  EXPECT_EQ(utf8_length(""), 0U);
}

}  // namespace
}  // namespace assay::model
