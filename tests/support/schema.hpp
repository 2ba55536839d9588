#pragma once

#include <gtest/gtest.h>

#include <algorithm>
#include <nlohmann/json.hpp>
#include <string>
#include <utility>
#include <vector>

namespace assay::test {
using namespace model;

using nlohmann::json;

inline bool has_type(const json& value, const std::string& type) {
  if (type == "integer") return value.is_number_integer();
  if (type == "number") return value.is_number();
  if (type == "string") return value.is_string();
  if (type == "boolean") return value.is_boolean();
  if (type == "null") return value.is_null();
  if (type == "array") return value.is_array();
  return type == "object" && value.is_object();
}

/// The part of JSON Schema that the documents' schemas use; what it does not know fails.
class Validator {
 public:
  explicit Validator(json schema) : root_(std::move(schema)) {}
  void check(const json& value) { check(value, root_, "$"); }
  /// By one of its definitions.
  void check(const json& value, const std::string& definition) {
    check(value, root_["$defs"][definition], "$");
  }

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

}  // namespace assay::test
