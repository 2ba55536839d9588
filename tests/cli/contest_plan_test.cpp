#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <map>
#include <nlohmann/json.hpp>

#include "support/tool.hpp"

namespace assay::test {
namespace {

using nlohmann::json;
using testing::HasSubstr;

/// A script that hands over made-up samples: of "find" at two sizes, `size` times as long as the baseline's,
/// and of others that it is told.
std::string script(double size, const std::string& more = {}) {
  std::string text = "#!/bin/sh\nn=$(od -An -N1 -tu1 /dev/urandom)\n";
  const auto line = [&](const std::string& function, int locks, double value) {
    text += "printf '{\"candidate\":\"" + function + "\",\"setting\":{\"locks\":" + std::to_string(locks) +
            "},\"metric\":\"time per call\",\"unit\":\"s\",\"value\":%d%03de-9}\\n' " +
            std::to_string(static_cast<int>(value * 1000)) + " $n >&$ASSAY_SAMPLES\n";
  };
  line("find", 100, size);
  line("find", 400, 4 * size);
  line("count", 100, 2);
  if (!more.empty()) line(more, 100, 3);
  return text + "echo done\n";
}

std::map<std::string, std::string> verdicts(const json& document) {
  std::map<std::string, std::string> all;
  for (const auto& f : document["findings"]) {
    std::string where = f["setting"]["function"];
    where += " " + f["setting"]["locks"].dump();
    all[where] = f["verdict"];
  }
  return all;
}

TEST(ContestPlan, FindsForEachFunctionAndSetting) {
  const Scratch scratch;
  for (const auto& [name, text] : {std::pair{"old", script(1)}, std::pair{"new", script(1.5, "fresh")}}) {
    scratch.file(name, text);
    std::filesystem::permissions(scratch.path(name), std::filesystem::perms::owner_all);
  }
  scratch.file("assay.toml", R"([rounds]
max = 8
twin = false
[[candidate]]
name = "old"
exe = "./old"
[[candidate]]
name = "new"
exe = "./new"
[[workload]]
name = "routes"
contest = "${exe}"
)");
  const auto ran = assay(scratch, {"run", "--json"});
  ASSERT_EQ(ran.status, 0) << ran.err;
  const auto document = json::parse(ran.out);
  EXPECT_EQ(verdicts(document), (std::map<std::string, std::string>{
                                    {"find 100", "worse"}, {"find 400", "worse"}, {"count 100", "same"}}));
  bool absent = false;
  for (const auto& s : document["statuses"])
    absent = absent ||
             (s["setting"]["function"] == "fresh" && s["candidate"] == "old" && s["status"] == "unsupported");
  EXPECT_TRUE(absent) << "a function that only one of them has: " << document["statuses"];
  EXPECT_THAT(assay(scratch, {"verdict"}).out, HasSubstr("find"));
  const auto watched = assay(scratch, {"duel", "--contest", "--rounds", "7", "./old", "vs", "./new"});
  EXPECT_EQ(watched.status, 0) << watched.err;
  EXPECT_THAT(watched.out, HasSubstr("function=find"));
}

TEST(ContestPlan, NamesWhatIsWrong) {
  const Scratch scratch;
  EXPECT_THAT(assay(scratch, {"duel", "--contest", "--rounds", "7", BEHAVE, "vs", "/bin/true"}).out,
              HasSubstr("wrote no samples"));
  EXPECT_THAT(assay(scratch, {"duel", "--contest", BEHAVE, "a", "vs", BEHAVE, "b"}).err,
              HasSubstr("give all commands the same arguments"));
  EXPECT_THAT(assay(scratch, {"duel", "--contest", "--abreast", BEHAVE, "vs", BEHAVE}).err,
              HasSubstr("can't run abreast"));
}

}  // namespace
}  // namespace assay::test
