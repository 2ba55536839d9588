#include <gtest/gtest.h>

#include <nlohmann/json.hpp>

#include "assay/judge/findings.hpp"
#include "assay/model/names.hpp"
#include "assay/render/json.hpp"
#include "support/records.hpp"
#include "support/tool.hpp"

namespace assay::inline v1::render {
namespace {

using namespace report;

using nlohmann::json;

bool has_type(const json& value, const std::string& type) {
  if (type == "integer") return value.is_number_integer();
  if (type == "number") return value.is_number();
  if (type == "string") return value.is_string();
  if (type == "boolean") return value.is_boolean();
  if (type == "null") return value.is_null();
  if (type == "array") return value.is_array();
  return type == "object" && value.is_object();
}

/// The part of JSON Schema that the findings' schema uses; what it does not know fails.
class Validator {
 public:
  explicit Validator(json schema) : root_(std::move(schema)) {}
  void check(const json& value) { check(value, root_, "$"); }

 private:
  void check(const json& value, const json& schema, const std::string& at) {
    for (const auto& [key, rule] : schema.items()) apply(value, key, rule, schema, at);
  }

  void apply(const json& value, const std::string& key, const json& rule, const json& schema,
             const std::string& at) {
    if (key == "$ref") return check(value, root_["$defs"][rule.get<std::string>().substr(8)], at);
    if (key == "type") {
      const auto types =
          rule.is_array() ? rule.get<std::vector<std::string>>() : std::vector{rule.get<std::string>()};
      EXPECT_TRUE(std::ranges::any_of(types, [&](const auto& t) { return has_type(value, t); }))
          << at << ": " << value;
    } else if (key == "const") {
      EXPECT_EQ(value, rule) << at;
    } else if (key == "enum") {
      EXPECT_NE(std::find(rule.begin(), rule.end(), value), rule.end()) << at << ": " << value;
    } else if (key == "required") {
      for (const auto& name : rule)
        EXPECT_TRUE(value.contains(name.get<std::string>())) << at << " lacks " << name;
    } else if (key == "properties") {
      for (const auto& [name, part] : value.items()) {
        ASSERT_TRUE(rule.contains(name)) << at << ": " << name << " is not in the schema";
        check(part, rule[name], at + "." + name);
      }
    } else if (key == "items") {
      for (const auto& part : value) check(part, rule, at + "[]");
    } else if (key == "additionalProperties") {
      for (const auto& [name, part] : value.items()) check(part, rule, at + "." + name);
    } else if (key == "minimum") {
      EXPECT_GE(value.get<double>(), rule.get<double>()) << at;
    } else if (key == "maximum") {
      EXPECT_LE(value.get<double>(), rule.get<double>()) << at;
    } else if (key == "exclusiveMinimum") {
      EXPECT_GT(value.get<double>(), rule.get<double>()) << at;
    } else if (key == "minItems" || key == "maxItems") {
      EXPECT_EQ(value.size(), rule.get<std::size_t>()) << at;
    } else if (key == "pattern") {
      EXPECT_FALSE(value.get<std::string>().empty()) << at;
    } else if (key == "oneOf") {
      if (!value.is_null()) check(value, rule[1], at);
    } else {
      EXPECT_TRUE(key.starts_with("$") || key == "title" || key == "description")
          << at << ": unknown rule " << key << " in " << schema;
    }
  }

  json root_;
};

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
  record.log.standings.push_back({CellId{3}, {Standing::failed, {}}});
  record.log.trials[3].leftovers = 1;
  const auto document = json::parse(to_json(judge::judge_record(record)));
  EXPECT_EQ(document["findings"].size(), 2U);
  EXPECT_EQ(document["standings"].size(), 1U);
  EXPECT_FALSE(document["trust"].empty());
  validator.check(document);
  validator.check(json::parse(to_json(judge::judge_record(test::record_of({{1, 1, 1}, {1, 1, 1}})))));
}

TEST(FindingsSchema, NamesEveryKindOfNote) {
  const auto schema = json::parse(test::read_file(std::string(ASSAY_SOURCE) + "/docs/findings.schema.json"));
  auto kinds = json::array();
  for (const auto& [kind, name] : names_of<NoteKind>()) kinds.push_back(name);
  EXPECT_EQ(schema["$defs"]["note"]["properties"]["kind"]["enum"], kinds);
}

}  // namespace
}  // namespace assay::inline v1::render
