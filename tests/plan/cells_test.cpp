#include "assay/plan/cells.hpp"

#include <gtest/gtest.h>

#include "assay/model/text.hpp"
#include "assay/plan/plan_file.hpp"

namespace assay::plan {
namespace {

Plan example() {
  return {.baseline = "list",
          .factors = {{.name = "locks", .levels = {std::int64_t{200}, std::int64_t{800}}}},
          .candidates = {{.name = "list", .exe = "bin/list"},
                         {.name = "heap", .exe = "bin/heap"},
                         {.name = "small",
                          .exe = "tool",
                          .with = {{"locks", std::int64_t{200}}, {"mode", std::string("s")}}}},
          .workloads = {{.name = "orders", .run = {"${exe}", "net-${locks}.txt"}},
                        {.name = "load", .run = {"${exe}", "${candidate}"}, .skip = {"heap"}}},
          .folder = "/barges"};
}

TEST(ExpandCells, CrossesCandidatesWorkloadsAndSettingsButTheSkipped) {
  const auto cells = expand_cells(example());
  ASSERT_EQ(cells.size(), 5U + 5U);  // small has no cell at 800 locks; load skips heap, which is shown
  EXPECT_EQ(cells[CellId{0}].command, (std::vector<std::string>{"/barges/bin/list", "net-200.txt"}));
  EXPECT_EQ(cells[CellId{2}].command.front(), "tool") << "bare names go through PATH";
  EXPECT_EQ(cells[CellId{2}].cell.setting.text(), "locks=200");
  EXPECT_EQ(cells[CellId{5}].command.back(), "list");
}

TEST(Contrasts, HoldEachCellAgainstItsBaselinesOfTheSameSetting) {
  const auto plan = example();
  const auto cells = expand_cells(plan);
  const auto comparisons = comparisons_of(cells, plan);
  EXPECT_EQ(comparisons.size(), 3U + 1U);
  for (const auto& comparison : comparisons) {
    const auto &baseline = cells[comparison.baseline].cell, &candidate = cells[comparison.candidate].cell;
    EXPECT_EQ(baseline.setting, candidate.setting);
    EXPECT_EQ(baseline.workload, candidate.workload);
    EXPECT_EQ(baseline.candidate, CandidateId{0});
  }
}

TEST(Placeholders, ReplacesNamesAndKeepsDollars) {
  EXPECT_EQ(expand("a${x}b${x}", {{"x", "1"}}), "a1b1");
  EXPECT_EQ(expand("$${HOME} $5 $", {}), "${HOME} $5 $");
  EXPECT_EQ(expand("caf${byte.e9}${byte.01}", {}), "caf\xe9\x01");
  for (const char* broken : {"${byte.00}", "${byte.e}", "${byte.zz}"})
    EXPECT_THROW((void)expand(broken, {}), Error) << broken;
  for (const std::string text : {"plain", "a${x}$${y}", "caf\xe9 schön", "\xff\xfe${"})
    EXPECT_EQ(expand(escape(text), {}), text);
  EXPECT_EQ(expand("${x}", {{"x", "${y}"}}), "${y}") << "values are not expanded again";
}

TEST(NearMiss, FindsWhatWasMeant) {
  const std::vector<std::string> known = {"baseline", "margin", "title"};
  EXPECT_EQ(closest_match("basline", known), "baseline");
  EXPECT_EQ(closest_match("MARGIN", known), "margin");
  EXPECT_EQ(closest_match("ttile", known), "title");
  EXPECT_EQ(closest_match("rounds", known), "");
}

}  // namespace
}  // namespace assay::plan
