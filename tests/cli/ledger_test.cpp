#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "support/tool.hpp"

namespace assay::test {
using namespace model;
namespace {

using testing::HasSubstr;
using testing::Not;

TEST(LedgerCommand, ListsNamesAndPrunes) {
  const Scratch scratch;
  EXPECT_THAT(assay(scratch, {"ledger"}).err, HasSubstr("no campaign yet"));
  for (int i = 0; i < 3; ++i)
    ASSERT_EQ(assay(scratch, {"duel", "--rounds", "6", "true", "vs", "sh", "-c", "exit 0"}).status, 0);
  auto listed = assay(scratch, {"ledger"});
  EXPECT_THAT(listed.out, HasSubstr("6 rounds  ended"));
  EXPECT_THAT(listed.out, HasSubstr("true vs sh"));
  EXPECT_EQ(assay(scratch, {"ledger", "name", "last", "before"}).status, 0);
  EXPECT_THAT(assay(scratch, {"ledger"}).out, HasSubstr("[before]"));
  EXPECT_EQ(assay(scratch, {"verdict", "before"}).status, 0);
  EXPECT_EQ(assay(scratch, {"ledger", "prune", "--keep", "0"}).status, 0);
  listed = assay(scratch, {"ledger"});
  EXPECT_THAT(listed.out, HasSubstr("[before]")) << "what has a name is kept";
  EXPECT_EQ(std::count(listed.out.begin(), listed.out.end(), '\n'), 2);
  EXPECT_EQ(assay(scratch, {"ledger", "prune", "before"}).status, 0);
  EXPECT_THAT(assay(scratch, {"ledger"}).out, HasSubstr("no campaign"));
  EXPECT_EQ(assay(scratch, {"ledger", "prune"}).status, 2);
  EXPECT_EQ(assay(scratch, {"ledger", "name", "last", "last"}).status, 2);
}

}  // namespace
}  // namespace assay::test
