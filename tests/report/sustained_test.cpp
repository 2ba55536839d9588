#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "assay/report/summary_lines.hpp"

namespace assay::report {
namespace {

using testing::ElementsAre;
using testing::IsEmpty;

/// Three servers at three rates; `failing`: cells that don't sustain theirs, candidate by candidate.
Findings servers(const std::vector<std::int64_t>& failing) {
  Findings all;
  all.design.candidates = {{.name = "plain"}, {.name = "cached"}, {.name = "crowded"}};
  all.design.workloads = {{.name = "orders"}};
  all.design.factors = {{.name = "rate", .levels = {}}};
  for (std::int64_t candidate = 0; candidate < 3; ++candidate)
    for (const std::int64_t rate : {400, 100, 1600}) {
      all.design.cells.add({{candidate}, {0}, {{{"rate", rate}}}});
      all.statuses.add({});
    }
  for (const auto cell : failing)
    all.notes.push_back({.kind = NoteKind::rate_not_sustained, .subject = CellId{cell}});
  return all;
}

TEST(Sustained, TellsEachCandidatesLimit) {
  EXPECT_THAT(servers({2, 6, 7, 8}).design.cells.size(), 9U);
  EXPECT_THAT(
      sustained_lines(servers({2, 6, 7, 8})),
      ElementsAre(
          "sustained over rate: plain up to 400; cached up to 1600, the highest; crowded not even 100"));
  EXPECT_THAT(sustained_lines(servers({0})),
              ElementsAre(testing::StartsWith("sustained over rate: plain up to 100;")))
      << "a rate below one that is not sustained";
}

TEST(Sustained, ShowsNothingWhereAllIsSustained) {
  EXPECT_THAT(sustained_lines(servers({})), IsEmpty());
  EXPECT_THAT(sustained_lines({}), IsEmpty());
}

}  // namespace
}  // namespace assay::report
