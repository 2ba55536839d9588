#include "assay/report/sentence.hpp"

#include <gtest/gtest.h>

#include "assay/judge/judge.hpp"
#include "support/made.hpp"

namespace assay::report {
namespace {

/// Two workloads, four sizes: heap takes so many seconds where list takes one.
class LocationPhrase : public testing::Test {
 protected:
  std::string where(const std::vector<std::pair<std::string, int>>& faster) {
    test::Made made("where");
    const auto time = made.wall_time();
    const auto list = made.candidate("list"), heap = made.candidate("heap");
    for (const char* name : {"orders", "reach"}) made.workload(name);
    for (const auto workload : made.design().workloads.ids())
      for (const int locks : {1, 200, 800, 3200}) {
        const Setting setting{{{"locks", std::int64_t{locks}}}};
        const auto& name = made.design().workloads[workload].name;
        made.around(made.cell(list, workload, setting), time, 1, 8);
        made.around(made.cell(heap, workload, setting), time,
                    std::ranges::count(faster, std::pair(name, locks)) > 0 ? 0.5 : 2, 8);
      }
    const auto all = judge::judge_record(made.record());
    std::vector<const Finding*> every, some;
    for (const auto& f : all.findings) {
      every.push_back(&f);
      if (f.verdict == Verdict::better) some.push_back(&f);
    }
    return location_phrase(all, some, every);
  }
};

TEST_F(LocationPhrase, NamesWholeWorkloadsAndLevels) {
  EXPECT_EQ(where({{"orders", 1}, {"orders", 200}, {"orders", 800}, {"orders", 3200}}), "on orders");
  EXPECT_EQ(where({{"orders", 3200}, {"reach", 3200}}), "at 3200 locks");
  EXPECT_EQ(where({{"orders", 1}, {"reach", 1}}), "at 1 lock");
  EXPECT_EQ(where({{"orders", 800}, {"reach", 800}, {"orders", 3200}, {"reach", 3200}}), "from 800 locks on");
  EXPECT_EQ(where({{"orders", 1}, {"reach", 1}, {"orders", 200}, {"reach", 200}}), "up to 200 locks");
  EXPECT_EQ(where({{"orders", 1}, {"reach", 1}, {"orders", 800}, {"reach", 800}}), "at 1 lock and 800 locks");
}

TEST_F(LocationPhrase, TakesWorkloadsByThemselvesWhereTheyDiffer) {
  EXPECT_EQ(where({{"orders", 800}, {"orders", 3200}, {"reach", 3200}}),
            "on orders from 800 locks on and on reach at 3200 locks");
  EXPECT_EQ(where({{"orders", 200}}), "on orders at 200 locks");
}

TEST_F(LocationPhrase, EmptyWhereACountIsShorter) {
  EXPECT_EQ(where({{"orders", 1}, {"orders", 800}, {"orders", 3200}, {"reach", 200}}), "");
}

}  // namespace
}  // namespace assay::report
