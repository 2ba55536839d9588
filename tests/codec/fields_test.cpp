#include <gtest/gtest.h>

#include <cmath>
#include <nlohmann/json.hpp>
#include <random>

#include "assay/codec/json.hpp"
#include "assay/ledger/ledger.hpp"
#include "support/filler.hpp"
#include "support/records.hpp"
#include "support/tool.hpp"

namespace assay::codec {
namespace {

using test::Filler;

template <class T>
std::vector<std::pair<std::string, Value>> spelt(const T& value) {
  std::vector<std::pair<std::string, Value>> all;
  fields(value, [&](const char* name, const auto& field) { all.emplace_back(name, to_value(field)); });
  return all;
}

template <class T>
class Fields : public testing::Test {};

using All = testing::Types<Candidate, BuildInfo, Workload, Factor, Comparison, MetricRequest, Metric, Rules,
                           Design, Trial, InterimLook, Round>;
TYPED_TEST_SUITE(Fields, All);

TYPED_TEST(Fields, ComeBackFromJsonAndFromColumnsAsTheyWere) {
  for (unsigned seed = 1; seed <= 200; ++seed) {
    TypeParam value;
    fields(value, Filler(seed));
    const auto text = text_of(fields_json(value), -1);
    TypeParam from_json;
    fields_from_json(Json::parse(text), from_json);
    EXPECT_EQ(spelt(from_json), spelt(value)) << text;
    TypeParam from_columns;
    fields(from_columns, [columns = spelt(value), at = std::size_t{0}](const char*, auto& field) mutable {
      from_value(columns[at++].second, field);
    });
    EXPECT_EQ(spelt(from_columns), spelt(value)) << text;
  }
}

TEST(Fields, ComeBackFromALedgerBitForBit) {
  const test::Scratch scratch;
  auto record = test::record_of({{1, 2, 3, 4, 5, 6, 7}, {1, 2, 3, 4, 5, 6, 7}});
  Filler fill(11);
  for (auto& metric : record.design.metrics) fields(metric, fill);
  for (auto& workload : record.design.workloads) fields(workload, fill);
  record.design.rules.budget_ms = 4711;
  std::mt19937_64 random(12);
  for (auto& trial : record.log.trials)
    trial.readings[0].value = std::ldexp(static_cast<double>((random() >> 11U) | 1U), -60);
  ledger::Ledger ledger(scratch.path("ledger.db"));
  const auto back = ledger.read(ledger.add_whole(record));
  EXPECT_EQ(spelt(back.design), spelt(record.design));
  EXPECT_EQ(back.design.metrics, record.design.metrics);
  EXPECT_EQ(back.design.workloads, record.design.workloads);
  ASSERT_EQ(back.log.trials.size(), record.log.trials.size());
  for (std::size_t i = 0; i < back.log.trials.size(); ++i)
    EXPECT_EQ(back.log.trials[i].readings[0].value, record.log.trials[i].readings[0].value);
}

TEST(Json, RefusesDeepNesting) {
  EXPECT_FALSE(parse_json(std::string(200'000, '[')));
  EXPECT_FALSE(parse_json(std::string(200'000, '[') + std::string(200'000, ']')));
  EXPECT_TRUE(parse_json(std::string(50, '[') + std::string(50, ']')));
  EXPECT_FALSE(parse_json("{\"a\": }"));
}

TEST(Values, RefuseWhatTheirFieldCannotHold) {
  int whole = 0;
  EXPECT_THROW(from_value(Value{std::int64_t{1} << 40U}, whole), CorruptData);
  EXPECT_THROW(from_value(Value{std::string("seven")}, whole), CorruptData);
  RoundState state = RoundState::open;
  EXPECT_THROW(from_value(Value{std::string("halved")}, state), CorruptData);
  std::uint64_t seed = 0;
  EXPECT_THROW(from_value(Value{std::string("12x")}, seed), CorruptData);
  EXPECT_THROW(read_level("integer", "99999999999999999999"), CorruptData) << "not 0";
  EXPECT_THROW(read_level("number", "1e999"), CorruptData);
  EXPECT_THROW(decode_list(std::string(200'000, '[')), CorruptData);
  from_value(Value{std::string("18446744073709551615")}, seed);
  EXPECT_EQ(seed, 18446744073709551615U);
}

}  // namespace
}  // namespace assay::codec
