#include "assay/check/replies.hpp"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

namespace assay::check {
namespace {

using testing::HasSubstr;

TEST(Masked, CutsOutWhatIsIgnored) {
  EXPECT_EQ(masked({.ignore = {"\"made\":\"[^\"]*\""}}, R"({"route":3,"made":"now"})"), R"({"route":3,})");
  EXPECT_EQ(masked({.ignore_json = {"/id", "/deep/at", "/nowhere"}}, R"({"id":7,"deep":{"at":1,"b":2}})"),
            R"({"deep":{"at":null,"b":2},"id":null})");
  EXPECT_EQ(masked({.ignore_json = {"/id"}}, "no JSON"), "no JSON");
  EXPECT_EQ(masked({}, "as it is"), "as it is");
}

TEST(WhatIsWrongWithAReply, LooksAtStatusMatchesAndTheBaselinesBody) {
  const OutputCheck check{.match = "route", .ignore_json = {"/id"}};
  EXPECT_FALSE(check_reply(check, {}, 200, R"({"id":2,"route":1})", R"({"id":null,"route":1})"));
  EXPECT_THAT(check_reply(check, {}, 500, "oh", {}).value(),
              HasSubstr("status 500, expected 200; its body, which begins \"oh\""));
  EXPECT_FALSE(check_reply(check, {.status = 404, .match = {}}, 404, "no route", {}));
  EXPECT_TRUE(check_reply(check, {.status = 404, .match = {}}, 200, "route", {}));
  EXPECT_THAT(check_reply(check, {}, 200, "nothing", {}).value(), HasSubstr("\"route\" does not occur"));
  EXPECT_THAT(check_reply(check, {.status = 0, .match = "^lock"}, 200, "route", {}).value(),
              HasSubstr("\"^lock\" does not occur"));
  EXPECT_THAT(check_reply(check, {}, 200, R"({"id":2,"route":9})", R"({"id":null,"route":1})").value(),
              HasSubstr("its body is not the baseline's: line 1"));
}

}  // namespace
}  // namespace assay::check
