// Duels between servers.

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <nlohmann/json.hpp>

#include "support/tool.hpp"

namespace assay {
namespace {

using nlohmann::json;
using test::assay;
using test::Scratch;
using testing::HasSubstr;

std::vector<std::string> duel_of(std::vector<std::string> options, const std::vector<std::string>& words) {
  options.insert(options.begin(), {"duel", "--serve"});
  options.insert(options.end(), words.begin(), words.end());
  return options;
}

TEST(DuelOfServers, RunsFromOneLine) {
  const Scratch scratch;
  const auto ran =
      assay(scratch, duel_of({"/locks", "--clients", "2", "--requests", "60", "--rounds", "7..40", "--equal",
                              "--identify", "/version", "--names", "old,new", "--json"},
                             {SERVE, "PORT", "work", "6000", "vs", SERVE, "PORT", "work", "150000"}));
  ASSERT_EQ(ran.status, 0) << ran.err;
  const auto document = json::parse(ran.out);
  EXPECT_EQ(document["answers"][0]["verdict"], "worse");
  EXPECT_THAT(ran.err, HasSubstr("new: same identity as old, \"GET /version\""));
  EXPECT_THAT(assay(scratch, {"verdict"}).out, HasSubstr("steady rate"));
  const auto again = assay(scratch, {"again", "--only", "candidate=new", "--rounds", "7"});
  EXPECT_EQ(again.status, 0) << again.err;
}

TEST(DuelOfServers, SavesAPlan) {
  const Scratch scratch;
  scratch.file("orders.jsonl", "{\"path\": \"/locks\"}\n{\"path\": \"/weirs\"}\n");
  const auto plan = scratch.path("servers.toml");
  const auto saved =
      assay(scratch, duel_of({"orders.jsonl", "--rate", "300/s", "--requests", "100", "--save-plan", plan},
                             {SERVE, "PORT", "vs", SERVE, "PORT", "chunked"}));
  ASSERT_EQ(saved.status, 0) << saved.err;
  EXPECT_THAT(test::read_file(plan), HasSubstr("${port}"));
  const auto shown = assay(scratch, {"run", "--show", plan});
  EXPECT_EQ(shown.status, 0) << shown.err;
  EXPECT_THAT(shown.out, HasSubstr("asked for what is in orders.jsonl: 100 requests a trial, 300/s"));
  EXPECT_THAT(shown.out, HasSubstr("a round is 2 servers and 200 requests"));
}

TEST(DuelOfServers, WrongRequestsAreRefusedWithTheirOption) {
  const Scratch scratch;
  const auto refused = [&](const std::vector<std::string>& options, const std::vector<std::string>& words) {
    const auto ran = assay(scratch, duel_of(options, words));
    EXPECT_EQ(ran.status, 2) << ran.out;
    return ran.err;
  };
  EXPECT_THAT(refused({"/locks"}, {SERVE, "8080", "vs", SERVE, "PORTS"}),
              testing::AllOf(HasSubstr("is not given its port"), HasSubstr("write PORT")));
  EXPECT_THAT(refused({"/locks", "--clients", "few"}, {SERVE, "PORT", "vs", SERVE, "PORT"}),
              HasSubstr("\"few\" is no number of clients"));
  EXPECT_THAT(refused({"orders.jsonl"}, {SERVE, "PORT", "vs", SERVE, "PORT"}), HasSubstr("orders.jsonl"));
  EXPECT_THAT(refused({"/locks", "--stdin", "x"}, {SERVE, "PORT", "vs", SERVE, "PORT"}),
              HasSubstr("--stdin"));
  const auto alone = assay(scratch, {"duel", "--clients", "4", SERVE, "PORT", "vs", SERVE, "PORT"});
  EXPECT_EQ(alone.status, 2);
  EXPECT_THAT(alone.err, HasSubstr("--serve"));
}

}  // namespace
}  // namespace assay
