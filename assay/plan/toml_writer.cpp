#include "assay/plan/toml_writer.hpp"

#include <toml++/toml.h>

#include <sstream>
#include <string>
#include <vector>

#include "assay/model/text.hpp"
#include "assay/plan/plan_file.hpp"

namespace assay::plan {

using codec::Key;
using codec::KeyFormat;

namespace {

template <class T, class Enter>
toml::array list_of(const std::vector<T>& items, const Enter& enter) {
  toml::array array;
  for (const auto& item : items) enter(array, item);
  return array;
}

toml::array texts(const std::vector<std::string>& items) {
  return list_of(items, [](toml::array& array, const std::string& item) { array.push_back(item); });
}

bool is_text_of(const std::string& text, const toml::table& table) {
  try {
    return toml::parse(text) == table;
  } catch (const toml::parse_error&) {
    return false;
  }
}

}  // namespace

std::string text_of(const toml::table& table) {
  using toml::format_flags;
  const auto text_by = [&](format_flags flags) {
    std::ostringstream out;
    out << toml::toml_formatter(table, flags);
    return out.str();
  };
  const auto usual = toml::toml_formatter::default_flags;
  auto text = text_by(usual);
  if (is_text_of(text, table)) return text;
  // toml++ 3.3 loses the line break that a text begins with, and leaves unescaped what its quotes can't hold.
  return text_by(usual & ~(format_flags::allow_literal_strings | format_flags::allow_multi_line_strings |
                           format_flags::allow_unicode_strings));
}

void put(toml::table& into, const Key& key, const std::string& field) { into.insert(key.name, field); }

void put(toml::table& into, const Key& key, bool field) {
  if (key.format == KeyFormat::pass_or_fail)
    into.insert(key.name, field ? "pass" : "fail");
  else
    into.insert(key.name, field);
}

void put(toml::table& into, const Key& key, int field) {
  if (key.format == KeyFormat::all_or_number && field < 0)
    into.insert(key.name, true);
  else
    into.insert(key.name, field);
}

void put(toml::table& into, const Key& key, double field) {
  if (key.format == KeyFormat::share)
    into.insert(key.name, percent_text(field));
  else if (key.format == KeyFormat::duration_or_none && field == 0)
    into.insert(key.name, "0 s");
  else if (key.format == KeyFormat::duration || key.format == KeyFormat::duration_or_none)
    into.insert(key.name, duration_text(field));
  else
    into.insert(key.name, field);
}

void put(toml::table& into, const Key& key, std::uint64_t field) {
  if (key.format == KeyFormat::bytes)
    into.insert(key.name, bytes_text(field));
  else
    into.insert(key.name, static_cast<std::int64_t>(field));
}

void put(toml::table& into, const Key& key, const Aggregate& field) {
  into.insert(key.name, to_string(field));
}

void put(toml::table& into, const Key& key, const LeadIn& field) {
  if (field.values > 0)
    into.insert(key.name, field.values);
  else
    into.insert(key.name, to_string(field));
}

void put(toml::table& into, const Key& key, const Work& field) { into.insert(key.name, to_string(field)); }

void put(toml::table& into, const Key& key, const Requirement& field) { into.insert(key.name, field.text); }

void put(toml::table& into, const Key& key, const std::vector<std::string>& field) {
  into.insert(key.name, texts(field));
}

void put(toml::table& into, const Key& key, const std::vector<int>& field) {
  into.insert(key.name, list_of(field, [](toml::array& array, int item) { array.push_back(item); }));
}

void put(toml::table& into, const Key& key, const std::vector<Level>& field) {
  into.insert(key.name, list_of(field, [](toml::array& array, const Level& item) {
                std::visit([&](const auto& value) { array.push_back(value); }, item);
              }));
}

void put(toml::table& into, const Key& key, const std::vector<std::vector<std::string>>& field) {
  into.insert(key.name, list_of(field, [](toml::array& array, const std::vector<std::string>& item) {
                array.push_back(texts(item));
              }));
}

void put(toml::table& into, const Key& key, const std::map<std::string, Level>& field) {
  toml::table table;
  for (const auto& [name, level] : field)
    std::visit([&, &word = name](const auto& value) { table.insert(word, value); }, level);
  table.is_inline(true);
  into.insert(key.name, std::move(table));
}

namespace {

template <class T>
toml::array tables_of(const std::vector<T>& values) {
  toml::array array;
  for (const auto& value : values) array.push_back(table_of(value));
  return array;
}

toml::array candidates_of(const std::vector<PlannedCandidate>& candidates) {
  auto array = tables_of(candidates);
  for (std::size_t i = 0; i < candidates.size(); ++i)
    if (!candidates[i].commit.empty())
      array[i].as_table()->insert("commits", toml::array{candidates[i].commit});
  return array;
}

}  // namespace

std::string canonical_text(const PlannedWorkload& planned) {
  auto nameless = planned;
  nameless.name.clear();
  nameless.weight = 1;
  return text_of(table_of(nameless));
}

std::string to_toml(const Plan& plan) {
  toml::table root;
  root.insert("plan", table_of(plan));
  root.insert("rounds", table_of(plan.rounds));
  if (!plan.factors.empty()) root.insert("factor", tables_of(plan.factors));
  root.insert("candidate", candidates_of(plan.candidates));
  root.insert("workload", tables_of(plan.workloads));
  if (!plan.metrics.empty()) root.insert("metric", tables_of(plan.metrics));
  if (plan.gate != Gate{}) root.insert("gate", table_of(plan.gate));
  if (plan.history != PlannedHistory{}) root.insert("history", table_of(plan.history));
  return text_of(root) + "\n";
}

}  // namespace assay::plan
