#include <gtest/gtest.h>

#include "assay/model/error.hpp"
#include "assay/model/setting.hpp"
#include "assay/model/text.hpp"

namespace assay {
using namespace model;
namespace {

TEST(Setting, TextNamesFactorsInOrderAndDistinguishesSettings) {
  const Setting setting{
      {{"locks", std::int64_t{800}}, {"cache", std::string("on")}, {"share", 0.5}, {"deep", true}}};
  EXPECT_EQ(setting.text(), "cache=on, deep=true, locks=800, share=0.5");
  EXPECT_EQ(Setting{}.text(), "");
}

TEST(Setting, GivesWholeNumbersOnlyWhereThereAreSome) {
  const Setting setting{{{"locks", std::int64_t{800}}, {"cache", std::string("on")}}};
  EXPECT_EQ(setting.integer("locks"), 800);
  EXPECT_THROW(setting.integer("cache"), Error);
  EXPECT_THROW(setting.integer("boats"), Error);
}

TEST(Quantity, ReadsDurationsWithTheirUnit) {
  EXPECT_DOUBLE_EQ(parse_duration("30 s"), 30);
  EXPECT_DOUBLE_EQ(parse_duration("1.5min"), 90);
  EXPECT_DOUBLE_EQ(parse_duration(" 200 ms "), 0.2);
  EXPECT_DOUBLE_EQ(parse_duration("2 h"), 7200);
  for (const auto* bad : {"", "30", "s", "-1 s", "0 s", "1 day", "nan s", "1e999 s", "1 s 2"})
    EXPECT_THROW(parse_duration(bad), Error) << bad;
}

TEST(Quantity, ReadsSharesWithTheirSign) {
  EXPECT_DOUBLE_EQ(parse_percent("1 %"), 0.01);
  EXPECT_DOUBLE_EQ(parse_percent("0.5%"), 0.005);
  for (const auto* bad : {"", "1", "%", "-1 %", "1000 %", "1 % x"})
    EXPECT_THROW(parse_percent(bad), Error) << bad;
}

TEST(Quantity, WritesWhatItReads) {
  for (const double share : {0.01, 0.07, 0.005, 0.123456, 1.0 / 3})
    EXPECT_DOUBLE_EQ(parse_percent(percent_text(share)), share);
  for (const double seconds : {0.001, 60.0, 1e6, 1.0 / 3})
    EXPECT_EQ(parse_duration(duration_text(seconds)), seconds);
}

TEST(Error, ReportsWhatWhereAndWhatToDo) {
  const Error error("unknown key", "assay.toml:3:1", "did you mean \"exe\"?");
  EXPECT_STREQ(error.what(), "assay.toml:3:1: unknown key; did you mean \"exe\"?");
  const DomainError domain("must be above zero", 3, -1.5);
  EXPECT_STREQ(domain.what(), "must be above zero (value -1.5 at index 3)");
}

}  // namespace
}  // namespace assay
