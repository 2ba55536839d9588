#include "support/schema.hpp"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <nlohmann/json.hpp>

#include "assay/judge/judge.hpp"
#include "assay/model/enum_names.hpp"
#include "assay/render/documents.hpp"
#include "support/records.hpp"
#include "support/tool.hpp"

namespace assay::render {
namespace {

using namespace report;

using nlohmann::json;
using test::Validator;

TEST(FindingsSchema, HoldsForWhatIsPrinted) {
  Validator validator(json::parse(test::read_file(std::string(ASSAY_SOURCE) + "/docs/findings.schema.json")));
  const std::vector<double> ten = {1.00, 1.10, 1.05, 0.98, 1.20, 1.01, 1.15, 1.07, 1.03, 1.12};
  auto noisy = ten, better = ten;
  for (std::size_t i = 0; i < ten.size(); ++i) {
    noisy[i] *= i % 2 == 0 ? 1.2 : 0.8;
    better[i] *= 0.7 + 0.001 * static_cast<double>(i);
  }
  auto record = test::record_of({ten, noisy, better, ten});
  for (auto& cell : record.design.cells)
    cell.setting.levels = {{"locks", std::int64_t{800}}, {"deep", true}, {"mode", std::string("x")}};
  record.log.status_changes.push_back({CellId{3}, {StatusCode::failed, {}}});
  record.log.trials[3].orphans = 1;
  const auto document = json::parse(to_json(judge::judge_record(record)));
  EXPECT_EQ(document["findings"].size(), 2U);
  EXPECT_EQ(document["statuses"].size(), 1U);
  EXPECT_FALSE(document["notes"].empty());
  validator.check(document);
  validator.check(json::parse(to_json(judge::judge_record(test::record_of({{1, 1, 1}, {1, 1, 1}})))));
}

TEST(FindingsSchema, HoldsForWhereTimesHaveChanged) {
  Validator validator(json::parse(test::read_file(std::string(ASSAY_SOURCE) + "/docs/findings.schema.json")));
  auto record = test::record_of(
      {{0.100, 0.101, 0.102, 0.100, 0.101, 0.103, 0.1}, {0.121, 0.120, 0.122, 0.120, 0.123, 0.121, 0.12}},
      "cpu time");
  test::add_samples(record);
  const auto findings = judge::judge_record(record);
  const auto document = json::parse(to_json(findings));
  validator.check(document);
  const auto& where = document["where"].at(0);
  EXPECT_EQ(where["candidate"], "rival1");
  EXPECT_EQ(where["functions"].at(0)["name"], "haul(int)");
  EXPECT_EQ(where["functions"].at(0)["named"], true);
  EXPECT_EQ(where["functions"].at(1)["code"], "same");
  EXPECT_EQ(where["other_code"], json::array({"haul(int)"}));
  EXPECT_TRUE(where["alone"]["names"].empty());
  EXPECT_EQ(where["contradicts_verdict"], false);
  double sum = where["smaller"]["change"].get<double>() + where["not_sampled"]["change"].get<double>();
  for (const auto& function : where["functions"]) sum += function["change"].get<double>();
  EXPECT_NEAR(sum, where["whole"]["change"].get<double>(), 1e-12);

  record.log.samples.matches[0].likeness = CodeLikeness::alone;
  record.log.samples.matches[1].calls_alone = true;
  const auto with_alone = json::parse(to_json(judge::judge_record(record)));
  validator.check(with_alone);
  EXPECT_EQ(with_alone["where"].at(0)["alone"]["names"], json::array({"haul(int)"}));
  EXPECT_NEAR(
      with_alone["where"].at(0)["alone"]["time"]["change"].get<double>(),
      where["functions"].at(0)["change"].get<double>() + where["functions"].at(1)["change"].get<double>(),
      1e-9);
  EXPECT_THAT(to_text(judge::judge_record(record)),
              testing::HasSubstr("one of the two alone has haul: with what calls it, +"));

  EXPECT_NE(to_text(findings).find("haul"), std::string::npos);
  EXPECT_NE(to_markdown(findings).find("where rival1 spends more cpu time than list"), std::string::npos);
  const auto page = to_page(findings, record);
  EXPECT_NE(page.find("<h2>Where rival1 spends more cpu time than list</h2>"), std::string::npos);
  EXPECT_NE(page.find("a file was replaced"), std::string::npos) << "what limits it";
}

TEST(FindingsSchema, NamesEveryKindOfNote) {
  const auto schema = json::parse(test::read_file(std::string(ASSAY_SOURCE) + "/docs/findings.schema.json"));
  auto kinds = json::array();
  for (const auto& [kind, name] : enum_names<NoteKind>()) kinds.push_back(name);
  EXPECT_EQ(schema["$defs"]["note"]["properties"]["kind"]["enum"], kinds);
}

}  // namespace
}  // namespace assay::render
