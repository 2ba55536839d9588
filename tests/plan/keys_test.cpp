#include <gtest/gtest.h>

#include <fstream>
#include <sstream>

#include "assay/plan/toml_reader.hpp"
#include "assay/plan/toml_writer.hpp"
#include "support/filler.hpp"

namespace assay::plan {
namespace {

template <class T>
class Keys : public testing::Test {};

using All = testing::Types<Plan, PlannedRounds, Factor, PlannedCandidate, Hook, Control, OutputCheck,
                           PlannedService, PlannedRequests, PlannedWorkload, PlannedMetric, Gate>;
TYPED_TEST_SUITE(Keys, All);

TYPED_TEST(Keys, ComeBackFromAPlanFileAsTheyWere) {
  for (unsigned seed = 1; seed <= 200; ++seed) {
    TypeParam value;
    codec::keys(value, test::Filler(seed));
    const auto text = text_of(table_of(value));
    TypeParam back;
    TomlReader("plan.toml").read(toml::parse(text), "it", back);
    EXPECT_TRUE(back == value) << text << "\nnow\n" << text_of(table_of(back));
  }
}

TYPED_TEST(Keys, AllStandInThePlanFilesDocument) {
  std::ostringstream document;
  document << std::ifstream(ASSAY_SOURCE "/docs/plan-file.md").rdbuf();
  const auto text = document.str();
  ASSERT_FALSE(text.empty());
  TypeParam value;
  codec::keys(value, [&](const codec::Key& key, const auto&) {
    EXPECT_TRUE(text.find("`" + std::string(key.name) + "`") != std::string::npos ||
                text.find(std::string(key.name) + " = ") != std::string::npos)
        << key.name;
  });
}

TEST(Keys, DefaultsAreNotWritten) {
  const auto table = table_of(PlannedWorkload{.name = "orders", .check = {.match = "^total"}});
  EXPECT_EQ(text_of(table), "check = { match = '^total' }\nname = 'orders'\ntimeout = '600 s'");
}

}  // namespace
}  // namespace assay::plan
