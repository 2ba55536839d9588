#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <sstream>

#include "assay/import_export/import_export.hpp"
#include "assay/model/error.hpp"
#include "support/records.hpp"

namespace assay::import_export {
namespace {

using testing::HasSubstr;

std::string problem(const std::string& csv, const ImportOptions& asked = {.uid = "0123456789abcdef"}) {
  try {
    std::istringstream in(csv);
    read_csv(in, "s.csv", asked);
  } catch (const Error& error) {
    return error.what();
  }
  return "nothing was thrown";
}

TEST(Samples, NumbersThatCannotBeKeptAreErrorsWithLineAndColumn) {
  const std::string head = "candidate,metric,value,round\n";
  EXPECT_THAT(problem(head + "a,t,1,1\nb,t,1e400,1\n"), HasSubstr("s.csv:3, column value"));
  EXPECT_THAT(problem(head + "a,t,1e-400,1\n"), HasSubstr("s.csv:2, column value"));
  EXPECT_THAT(problem(head + "a,t,1,4294967296\n"), HasSubstr("s.csv:2, column round"));
  EXPECT_THAT(problem(head + "a,t,1,-1\n"), HasSubstr("s.csv:2, column round"));
  const ImportOptions by_size{.factors = {"locks"}, .uid = "0123456789abcdef"};
  EXPECT_THAT(problem("candidate,metric,value,locks\na,t,1,18446744073709551617\n", by_size),
              HasSubstr("s.csv:2, column locks"));
}

TEST(Samples, ComeInAsTheyAre) {
  std::istringstream in(
      "candidate,metric,value,round\na,t,0.1,1\nb,t,5e-324,1\na,t,1.7976931348623157e308,2\nb,t,3,2\n");
  const auto record = read_csv(in, "s.csv", {.uid = "0123456789abcdef"});
  ASSERT_EQ(record.log.trials.size(), 4U);
  EXPECT_EQ(record.log.trials[0].readings.at(0).value, 0.1);
  EXPECT_EQ(record.log.trials[1].readings.at(0).value, 5e-324);
  EXPECT_EQ(record.log.trials[2].readings.at(0).value, 1.7976931348623157e308);
}

std::string refused(const std::string& text) {
  try {
    record_from_json(text, "r.json", "0123456789abcdef");
  } catch (const Error& error) {
    return error.what();
  }
  return "nothing was thrown";
}

/// `text` with the first of one thing made another.
std::string with(std::string text, const std::string& from, const std::string& to) {
  const auto at = text.find(from);
  EXPECT_NE(at, std::string::npos) << from << " is not in " << text;
  if (at != std::string::npos) text.replace(at, from.size(), to);
  return text;
}

TEST(RecordAsJson, RefusesAnAlteredDocument) {
  auto record = test::record_of({{1, 2, 3, 4, 5, 6, 7}, {1, 2, 3, 4, 5, 6, 7}});
  record.design.rules.rounds_min = 7;
  record.design.rules.rounds_max = 4711;
  const auto text = record_to_json(record);
  ASSERT_TRUE(is_record(text));
  EXPECT_THAT(refused(with(text, "4711", "-4711")), HasSubstr("r.json"));
  EXPECT_THAT(refused(with(text, "\"seed\": \"7\"", "\"seed\": \"seven\"")), HasSubstr("r.json"));
  EXPECT_THAT(refused(with(text, "\"seed\": \"7\"", "\"seed\": \"99999999999999999999999\"")),
              HasSubstr("r.json"));
  EXPECT_THAT(refused(with(text, "\"cell\": 1", "\"cell\": 77")), HasSubstr("r.json"));
  EXPECT_THAT(refused(std::string(200'000, '[')), HasSubstr("r.json"));
  EXPECT_EQ(refused(text), "nothing was thrown");
}

TEST(RecordAsJson, KeepsWhatWasSampledAndReadsOlderOnesWithout) {
  auto record = test::record_of({{0.1, 0.1}, {0.2, 0.2}});
  test::add_samples(record);
  const auto text = record_to_json(record);
  const auto back = record_from_json(text, "r.json", "0123456789abcdef").log.samples;
  ASSERT_EQ(back.trials.size(), 4U);
  EXPECT_EQ(back.trials[1].counts[0].samples, record.log.samples.trials[1].counts[0].samples);
  EXPECT_EQ(back.code[CodeId{0}].name, "haul(int)");
  EXPECT_EQ(back.trials[0].counts.at(1).library, CodeId{2});
  EXPECT_EQ(back.matches[1].baseline_in_line, 0);
  EXPECT_EQ(back.remarks, record.log.samples.remarks);
  EXPECT_THAT(refused(with(text, "\"code\": 1", "\"code\": 9")), HasSubstr("r.json"));
  for (auto& trial : record.log.samples.trials) trial.counts.pop_back();
  const auto without = with(record_to_json(record), "assay record 6", "assay record 5");
  EXPECT_EQ(record_from_json(without, "r.json", "0123456789abcdef").log.samples.trials.size(), 4U);
  record.log.samples = {};
  const auto older = with(record_to_json(record), "assay record 6", "assay record 4");
  EXPECT_TRUE(record_from_json(older, "r.json", "0123456789abcdef").log.samples.empty());
}

TEST(RecordAsJson, KeepsWhyTrialsWereVoided) {
  auto record = test::record_of({{1, 2}, {1, 2}});
  record.log.trials[3].outcome = Outcome::discarded;
  record.log.trials[3].detail = "the machine slept";
  const auto back = record_from_json(record_to_json(record), "r.json", "0123456789abcdef");
  ASSERT_EQ(back.log.trials.size(), record.log.trials.size());
  EXPECT_EQ(back.log.trials[3].detail, "the machine slept");
  EXPECT_EQ(test::evidence_of(back).discard_reasons().at("the machine slept"), 1U);
}

}  // namespace
}  // namespace assay::import_export
