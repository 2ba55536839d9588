#include "assay/model/redact.hpp"

#include <gtest/gtest.h>

namespace assay::model {
namespace {

TEST(WithoutFolders, CutsPathsIntoPlacesOfThisMachinesOwn) {
  const std::string folder = "/canals/planner";
  EXPECT_EQ(shorten_local_paths("assay run /home/ann/plans/assay.toml", folder), "assay run …/assay.toml");
  EXPECT_EQ(shorten_local_paths("can't open '/tmp/x/net.txt': gone", folder), "can't open '…/net.txt': gone");
  EXPECT_EQ(shorten_local_paths("-I/home/ann/include -O2", folder), "-I…/include -O2");
  EXPECT_EQ(shorten_local_paths("/canals/planner/net.txt and /canals/elsewhere/", folder),
            "…/net.txt and …/elsewhere");
  EXPECT_EQ(shorten_local_paths("PATH=/root/bin:/usr/bin", folder), "PATH=…/bin:/usr/bin");
  EXPECT_EQ(shorten_local_paths("file:///home/ann/net.git", folder), "file://…/net.git");
  EXPECT_EQ(shorten_local_paths("--data @/tmp/order.json", folder), "--data @…/order.json");
}

TEST(WithoutFolders, LeavesAllElseAsItIs) {
  for (const char* text : {"", "/usr/bin/sort -n", "300 MB/s", "bin/towpath", "./a and ../b", "/", "a/home/b",
                           "at /stats/rate", "/bin/true", "or / and"})
    EXPECT_EQ(shorten_local_paths(text, "/canals/planner"), text);
  EXPECT_EQ(shorten_local_paths("/canals/x", ""), "/canals/x") << "no folder is known";
}

TEST(ForOthers, CutsEveryTextThatADocumentShows) {
  Record record;
  auto& design = record.design;
  design.folder = "/home/ann/canals";
  design.repeat_command = "assay run /home/ann/canals/assay.toml";
  design.candidates = {{.name = "list", .distinguishing_arguments = {"/home/ann/canals/list", "net.txt"}}};
  design.candidates[CandidateId{0}].from.flags = "-I/home/ann/include";
  design.workloads = {{.name = "orders", .run = {"sh", "/home/ann/run.sh"}}};
  design.builds = {{.candidate = {0}, .steps = {"cc -o /home/ann/out"}}};
  design.cells = {Cell{}};
  record.log.status_changes.push_back({CellId{0}, {StatusCode::failed, "no /home/ann/net.txt"}});
  record.log.trials.push_back({.cell = {0}, .detail = "no /home/ann/net.txt"});
  design.title = "asked for /plan?token=secret&from=3&all, is it quick? a=b; GET /x?y=1: no";
  const auto passed = redacted(record);
  EXPECT_EQ(passed.design.folder, "");
  EXPECT_EQ(passed.design.repeat_command, "assay run …/assay.toml");
  EXPECT_EQ(passed.design.candidates.front().distinguishing_arguments[0], "…/list");
  EXPECT_EQ(passed.design.candidates.front().from.flags, "-I…/include");
  EXPECT_EQ(passed.design.workloads.front().run[1], "…/run.sh");
  EXPECT_EQ(passed.design.builds.front().steps[0], "cc -o …/out");
  EXPECT_EQ(passed.log.status_changes[0].status.detail, "no …/net.txt");
  EXPECT_EQ(passed.design.title, "asked for /plan?token=…&from=…&all, is it quick? a=b; GET /x?y=…: no");
  EXPECT_EQ(passed.log.trials[0].detail, "no …/net.txt");
}

TEST(Redacted, PathsThatDifferStayDifferent) {
  Record record;
  auto& design = record.design;
  design.candidates = {{.name = "/home/ann/list"}, {.name = "/home/bea/list"}, {.name = "list"}};
  const Level north = "/home/ann/net.txt", south = "/home/bea/net.txt";
  design.factors = {{.name = "net", .levels = {north, south}}};
  design.cells = {Cell{.setting = {{{"net", south}}}}, Cell{.setting = {{{"net", north}}}}};
  design.builds = {{.candidate = {0}, .setting = "net=/home/bea/net.txt"}};
  const auto passed = redacted(record).design;
  EXPECT_EQ(passed.candidates[CandidateId{0}].name, "…/list");
  EXPECT_EQ(passed.candidates[CandidateId{1}].name, "…/list #2");
  EXPECT_EQ(passed.candidates[CandidateId{2}].name, "list");
  EXPECT_EQ(to_string(passed.factors[0].levels[1]), "…/net.txt #2");
  EXPECT_EQ(passed.cells[CellId{0}].setting.text(), "net=…/net.txt #2");
  EXPECT_EQ(passed.cells[CellId{1}].setting.text(), "net=…/net.txt");
  EXPECT_EQ(passed.builds[0].setting, "net=…/net.txt #2");
}

}  // namespace
}  // namespace assay::model
