#include "assay/plan/toml_reader.hpp"

#include <algorithm>
#include <limits>

#include "assay/model/error.hpp"
#include "assay/plan/near_miss.hpp"

namespace assay::plan {
namespace {

std::string kind_of(const toml::node& node) {
  switch (node.type()) {
    case toml::node_type::table:
      return "a table";
    case toml::node_type::array:
      return "a list";
    case toml::node_type::string:
      return "text";
    case toml::node_type::integer:
      return "a whole number";
    case toml::node_type::floating_point:
      return "a number";
    case toml::node_type::boolean:
      return "true or false";
    default:
      return "a date or time";
  }
}

}  // namespace

std::string printable(std::string text) {
  std::ranges::replace_if(
      text, [](unsigned char c) { return c < 0x20 || c == 0x7f; }, '?');
  return text;
}

std::string TomlReader::place(const toml::source_region& region) const {
  return name_ + ":" + std::to_string(region.begin.line) + ":" + std::to_string(region.begin.column);
}

void TomlReader::fail(const toml::node& at, const std::string& problem, const std::string& remedy) const {
  throw Error(problem, place(at.source()), remedy);
}

void TomlReader::wrong_type(const toml::node& at, const std::string& path,
                            const std::string& expected) const {
  fail(at, path + " is " + kind_of(at), "expected " + expected);
}

void TomlReader::keys(const toml::table& table, const std::string& path,
                      const std::vector<std::string>& known) {
  for (const auto& [key, node] : table) {
    const std::string word(key.str());
    if (std::ranges::count(known, word) == 0)
      throw Error("unknown key \"" + printable(word) + "\"" + (path.empty() ? "" : " in " + path),
                  place(key.source()), meant_or_known(word, known));
    places_[path.empty() ? word : path + "." + word] = place(key.source());
  }
}

const toml::table* TomlReader::section(const toml::table& root, const std::string& key) {
  const auto* node = root.get(key);
  if (node == nullptr) return nullptr;
  if (!node->is_table()) wrong_type(*node, key, "a table: [" + key + "]");
  return node->as_table();
}

std::string TomlReader::text(const toml::table& table, const std::string& path, const std::string& key) {
  const auto* node = table.get(key);
  if (node == nullptr) return {};
  if (!node->is_string()) wrong_type(*node, path + "." + key, "text in quotes");
  return clean(*node->as_string());
}

std::string TomlReader::clean(const toml::value<std::string>& value) const {
  if (value.get().find('\0') != std::string::npos) fail(value, "text with a NUL character", "take it out");
  return value.get();
}

std::vector<std::string> TomlReader::texts(const toml::table& table, const std::string& path,
                                           const std::string& key) {
  const auto* node = table.get(key);
  if (node == nullptr) return {};
  if (!node->is_array()) wrong_type(*node, path + "." + key, "a list of texts: [\"…\", \"…\"]");
  std::vector<std::string> list;
  for (const auto& item : *node->as_array()) {
    if (!item.is_string()) wrong_type(item, "an entry of " + path + "." + key, "text in quotes");
    list.push_back(clean(*item.as_string()));
  }
  if (list.empty()) fail(*node, path + "." + key + " is empty", "list at least one, or leave the key out");
  return list;
}

int TomlReader::count(const toml::table& table, const std::string& path, const std::string& key) {
  return whole(*table.get(key), path + "." + key);
}

int TomlReader::whole(const toml::node& node, const std::string& path) {
  if (!node.is_integer()) wrong_type(node, path, "a whole number");
  const auto value = node.as_integer()->get();
  if (value < 0 || value > std::numeric_limits<int>::max())
    fail(node, path + " is " + std::to_string(value), "expected a number from 0 on");
  return static_cast<int>(value);
}

Level TomlReader::level(const toml::node& node, const std::string& path) {
  if (const auto* value = node.as_boolean()) return value->get();
  if (const auto* value = node.as_integer()) return value->get();
  if (const auto* value = node.as_floating_point()) return value->get();
  if (const auto* value = node.as_string()) return clean(*value);
  wrong_type(node, path, "text, a number, true or false");
}

void TomlReader::flag(const toml::table& table, const std::string& path, const std::string& key, bool& into) {
  const auto* node = table.get(key);
  if (node == nullptr) return;
  if (!node->is_boolean()) wrong_type(*node, path + "." + key, "true or false");
  into = node->as_boolean()->get();
}

std::vector<std::pair<const toml::table*, std::string>> TomlReader::tables(const toml::table& root,
                                                                           const std::string& key) {
  const auto* node = root.get(key);
  if (node == nullptr) return {};
  if (node->is_table())
    wrong_type(*node, key, "a list of tables: write [[" + key + "]], with double brackets");
  if (!node->is_array()) wrong_type(*node, key, "a list of tables: [[" + key + "]]");
  std::vector<std::pair<const toml::table*, std::string>> all;
  for (const auto& item : *node->as_array()) {
    const auto path = key + "[" + std::to_string(all.size()) + "]";
    if (!item.is_table()) wrong_type(item, path, "a table");
    places_[path] = place(item.source());
    all.emplace_back(item.as_table(), path);
  }
  return all;
}

}  // namespace assay::plan
