#pragma once

#include <toml++/toml.h>

#include <cstdint>
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "assay/codec/plan_keys.hpp"
#include "assay/codec/value.hpp"

/// Values as TOML tables, by the lists of their keys. Included by this module's own sources only.
namespace assay::plan {

template <class T>
toml::table table_of(const T& value);

/// A table as text, which reads back the same. No text is spread over lines: toml++ 3.3 loses the line break
/// that one begins with.
std::string text_of(const toml::table& table);

/// One for each type of field: enters it under its key.
void put(toml::table& into, const codec::Key& key, const std::string& field);
void put(toml::table& into, const codec::Key& key, bool field);
void put(toml::table& into, const codec::Key& key, int field);
void put(toml::table& into, const codec::Key& key, double field);
void put(toml::table& into, const codec::Key& key, std::uint64_t field);
void put(toml::table& into, const codec::Key& key, const Aggregate& field);
void put(toml::table& into, const codec::Key& key, const LeadIn& field);
void put(toml::table& into, const codec::Key& key, const Requirement& field);
void put(toml::table& into, const codec::Key& key, const Work& field);
void put(toml::table& into, const codec::Key& key, const std::vector<std::string>& field);
void put(toml::table& into, const codec::Key& key, const std::vector<int>& field);
void put(toml::table& into, const codec::Key& key, const std::vector<Level>& field);
void put(toml::table& into, const codec::Key& key, const std::vector<std::vector<std::string>>& field);
void put(toml::table& into, const codec::Key& key, const std::map<std::string, Level>& field);

template <class T>
void put(toml::table& into, const codec::Key& key, const T& field) {
  if constexpr (codec::is_optional<T>) {
    if (!field) return;
    if constexpr (requires { codec::keys(*field, [](const codec::Key&, const auto&) {}); }) {
      auto table = table_of(*field);  // even an empty one says that it is there
      table.is_inline(true);
      into.insert(key.name, std::move(table));
    } else {
      put(into, key, *field);
    }
  } else if constexpr (HasNames<T>) {
    into.insert(key.name, to_string(field));
  } else {
    if (field == T{}) return;
    auto table = table_of(field);
    table.is_inline(true);
    into.insert(key.name, std::move(table));
  }
}

/// What differs from a default T, and what is always written.
template <class T>
toml::table table_of(const T& value) {
  std::vector<toml::table> usual;
  const T blank{};
  codec::keys(blank,
              [&](const codec::Key& key, const auto& field) { put(usual.emplace_back(), key, field); });
  toml::table all;
  std::size_t at = 0;
  codec::keys(value, [&](const codec::Key& key, const auto& field) {
    toml::table one;
    put(one, key, field);
    if (one != usual[at++] || key.always)
      for (auto&& [name, node] : one) all.insert(name, node);
  });
  return all;
}

}  // namespace assay::plan
