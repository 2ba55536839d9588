#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <filesystem>
#include <nlohmann/json.hpp>

#include "support/tool.hpp"

namespace assay {
using namespace model;
namespace {
using nlohmann::json;
using test::Scratch;
using testing::HasSubstr;
namespace fs = std::filesystem;

/// Plans build without optimising, all sources in one, and reach less.
const std::string sooner =
    "sed -e 's/-O2/-O0/' -e 's/\"v0.3\", //' -e 's/\"100\"/\"5\"/' -e "
    "'s,\"towpath/[nps][a-z_]*.cpp\",\"-include\"\\, &,g' ";

/// The demo's folder, its data made small.
class WholePlans : public testing::Test {
 protected:
  WholePlans() {
    fs::create_directories(scratch_.path("bin"));
    for (const char* name : {"list", "heap", "goal", "matrix"})
      fs::copy_file(std::string(TOWPATH_PROGRAMS) + "/towpath-" + name, scratch_.path("bin/towpath-") + name);
    for (const char* locks : {"200", "800", "3200"})
      run({std::string(TOWPATH_PROGRAMS) + "/towpath-generate", scratch_.path(), locks, "5", "42"});
    const auto shipped = std::string(ASSAY_SOURCE) + "/demo/";
    for (const char* plan : {"commits.toml", "matrix.toml", "options.toml", "stages.toml"})
      run({"/bin/sh", "-c", sooner + shipped + plan + " > " + scratch_.path(plan)});
  }

  void make_repository() {
    const auto shipped = std::string(ASSAY_SOURCE) + "/demo/";
    const auto sources = scratch_.path("sources");
    fs::copy(shipped + "towpath", sources);
    run({"/bin/bash", shipped + "make-history.sh", sources, scratch_.path("repository")});
  }

  void run(const std::vector<std::string>& command) {
    const auto ran = test::run(scratch_, command);
    ASSERT_EQ(ran.status, 0) << ran.err;
  }

  test::Ran tool(const std::vector<std::string>& arguments) { return test::assay(scratch_, arguments); }

  Scratch scratch_;
};

std::map<std::string, std::string> statuses(const json& findings) {
  std::map<std::string, std::string> all;
  for (const auto& s : findings["statuses"])
    all[s["candidate"].get<std::string>() + " on " + s["workload"].get<std::string>() +
        (s["setting"].contains("locks") ? " " + s["setting"]["locks"].dump() : "")] = s["status"];
  return all;
}

TEST_F(WholePlans, ComparesProgramsConfigurationsCommitsAndEdits) {
  make_repository();
  const auto ran = tool({"run", "commits.toml", "--rounds", "7", "--json"});
  ASSERT_EQ(ran.status, 0) << ran.err;
  const auto found = json::parse(ran.out);
  EXPECT_EQ(statuses(found), (std::map<std::string, std::string>{{"canal-boat on orders", "failed"}}));
  std::map<std::string, std::string> baselines;
  for (const auto& f : found["findings"])
    if (!f["twin"].get<bool>()) baselines[f["candidate"]] = f["baseline"];
  EXPECT_EQ(baselines["working tree"], "HEAD");
  EXPECT_EQ(baselines["goal, checked"], "goal");
  EXPECT_EQ(baselines["v0.4"], "list");
  EXPECT_THAT(ran.err, HasSubstr("canal-boat (")) << "its commit is named, and its log";
  EXPECT_THAT(ran.err, HasSubstr("v0.4 is towpath-heap 0.4"));
  const auto again = tool({"again", "--only", "candidate=goal, checked", "--rounds", "7"});
  EXPECT_EQ(again.status, 0) << again.err;
  EXPECT_THAT(again.out, HasSubstr("Measured again with fresh data"));
  EXPECT_THAT(again.out, HasSubstr("goal, checked"));
}

TEST_F(WholePlans, TakesCommitsFromTheCommandLine) {
  make_repository();
  const auto ran =
      tool({"run", "commits.toml", "--candidates", "v0.3,.", "--rounds", "6", "--only", "workload=orders"});
  // The plan's workload names a placeholder that its candidates gave.
  EXPECT_EQ(ran.status, 2);
  EXPECT_THAT(ran.err, HasSubstr("unknown placeholder ${check}"));
  scratch_.file("bare.toml", R"(
[build]
source = "repository"
steps = [["cp", "${source}/towpath/main.cpp", "${out}/main.cpp"]]
exe = "/bin/cat"
[[workload]]
name = "w"
run = ["${exe}", "${out}/main.cpp"]
check = { match = "main" }
)");
  const auto bare = tool({"run", "bare.toml", "--candidates", "v0.3,v0.4,.", "--rounds", "6"});
  EXPECT_EQ(bare.status, 0) << bare.err;
  EXPECT_THAT(bare.out, HasSubstr("working tree"));
  const auto wrong = tool({"run", "bare.toml", "--candidates", "v0.3,nosuch"});
  EXPECT_EQ(wrong.status, 2);
  EXPECT_THAT(wrong.err, HasSubstr("there is no commit \"nosuch\""));
}

TEST_F(WholePlans, ShowsTheGapsOfAMatrix) {
  const auto ran = tool({"run", "matrix.toml", "--rounds", "6", "--json"});
  ASSERT_EQ(ran.status, 0) << ran.err;
  const auto found = statuses(json::parse(ran.out));
  EXPECT_EQ(found.size(), 6U);
  EXPECT_EQ(found.at("matrix on load 3200"), "unsupported");
  EXPECT_EQ(found.at("goal on load 200"), "unsupported");
  const auto part = tool({"verdict", "--only", "workload=load,locks=800"});
  EXPECT_THAT(part.out, HasSubstr("unsupported on load, locks=800: left out by the plan"));
  EXPECT_THAT(part.out, testing::Not(HasSubstr("reach")));
  EXPECT_EQ(tool({"verdict", "--only", "workload=nosuch"}).status, 2);
  const auto unknown = tool({"verdict", "--only", "lock=800"});
  EXPECT_EQ(unknown.status, 2);
  EXPECT_THAT(unknown.err, HasSubstr("--only: the campaign has no \"lock\" to choose by; did you mean"));
}

TEST_F(WholePlans, ForecastsAndKeepsNothing) {
  const auto ran = tool({"forecast", "stages.toml", "--pilots", "3"});
  ASSERT_EQ(ran.status, 0) << ran.err;
  EXPECT_THAT(ran.out, HasSubstr("4 cells, 2 comparisons; a round takes about"));
  EXPECT_THAT(ran.out, HasSubstr("a round takes about"));
  EXPECT_THAT(ran.out, HasSubstr("without search"));
  EXPECT_FALSE(fs::exists(scratch_.path(".assay/ledger.db")));
  const auto options = tool({"run", "options.toml", "--show"});
  EXPECT_THAT(options.out, HasSubstr("-O3 is built from commit v0.4 in repository"));
}

}  // namespace
}  // namespace assay
