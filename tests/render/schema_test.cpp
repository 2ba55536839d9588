#include "support/schema.hpp"

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

TEST(FindingsSchema, NamesEveryKindOfNote) {
  const auto schema = json::parse(test::read_file(std::string(ASSAY_SOURCE) + "/docs/findings.schema.json"));
  auto kinds = json::array();
  for (const auto& [kind, name] : enum_names<NoteKind>()) kinds.push_back(name);
  EXPECT_EQ(schema["$defs"]["note"]["properties"]["kind"]["enum"], kinds);
}

}  // namespace
}  // namespace assay::render
