#pragma once

#include <toml++/toml.h>

#include <cmath>
#include <cstdint>
#include <map>
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "assay/codec/plan_keys.hpp"
#include "assay/codec/value.hpp"
#include "assay/model/plan.hpp"
#include "assay/plan/plan_file.hpp"

namespace assay::plan {

/// Reads values out of TOML tables by the lists of their keys (codec/plan_keys.hpp); each error says where in
/// the file it is, what was found and what was expected. Remembers where everything stands. Included by this
/// module's own sources only.
class TomlReader {
 public:
  explicit TomlReader(std::string name) : name_(std::move(name)) {}

  const Places& places() const { return places_; }

  /// Reads the keys of `table`; what is not there keeps what `into` had. A key that T does not have is an
  /// error, unless it is one of `besides`.
  template <class T>
  void read(const toml::table& table, const std::string& path, T& into,
            const std::vector<std::string>& besides = {}) {
    read_by([](auto& value, const auto& visit) { codec::keys(value, visit); }, table, path, into, besides);
  }

 protected:
  /// The same by another list of keys than T's own.
  template <class List, class T>
  void read_by(const List& list, const toml::table& table, const std::string& path, T& into,
               std::vector<std::string> known = {}) {
    list(into, [&](const codec::Key& key, const auto&) { known.emplace_back(key.name); });
    check_keys(table, path, known);
    list(into, [&](const codec::Key& key, auto& field) {
      if (const auto* node = table.get(key.name)) take(*node, path + "." + key.name, key, field);
    });
  }

  /// Throws for keys that are not `known`.
  void check_keys(const toml::table& table, const std::string& path, const std::vector<std::string>& known);

  std::string place(const toml::source_region& region) const;
  [[noreturn]] void fail(const toml::node& at, const std::string& problem, const std::string& remedy) const;

  const toml::table* section(const toml::table& root, const std::string& key);

  /// Calls read_one(table, path) for each table of a list.
  template <class Each>
  void each(const toml::table& root, const std::string& key, Each&& read_one) {
    for (const auto& [table, path] : tables(root, key)) read_one(*table, path);
  }

  std::vector<std::string> texts(const toml::node& node, const std::string& path) const;

  std::string name_;
  Places places_;

 private:
  using Key = codec::Key;

  /// One for each type of field: the value of `node` goes to `into`.
  void take(const toml::node& node, const std::string& path, const Key& key, std::string& into);
  void take(const toml::node& node, const std::string& path, const Key& key, bool& into);
  void take(const toml::node& node, const std::string& path, const Key& key, int& into);
  void take(const toml::node& node, const std::string& path, const Key& key, double& into);
  void take(const toml::node& node, const std::string& path, const Key& key, std::uint64_t& into);
  void take(const toml::node& node, const std::string& path, const Key& key, Aggregate& into);
  void take(const toml::node& node, const std::string& path, const Key& key, LeadIn& into);
  void take(const toml::node& node, const std::string& path, const Key& key, Work& into);
  void take(const toml::node& node, const std::string& path, const Key& key, Requirement& into);
  void take(const toml::node& node, const std::string& path, const Key& key, Level& into);
  void take(const toml::node& node, const std::string& path, const Key& key, Hook& into);
  void take(const toml::node& node, const std::string& path, const Key& key, std::vector<std::string>& into);
  void take(const toml::node& node, const std::string& path, const Key& key,
            std::optional<std::vector<std::string>>& into);
  void take(const toml::node& node, const std::string& path, const Key& key,
            std::vector<std::vector<std::string>>& into);
  void take(const toml::node& node, const std::string& path, const Key& key,
            std::map<std::string, Level>& into);

  template <class T>
  void take(const toml::node& node, const std::string& path, const Key& key, T& into) {
    if constexpr (codec::is_optional<T>) {
      take(node, path, key, into.emplace());
    } else if constexpr (HasNames<T>) {
      std::vector<std::string> known;
      for (const auto& named : enum_names<T>()) known.emplace_back(named.name);
      into = enum_names<T>()[choice(node, path, key, known)].value;
    } else {
      if (!node.is_table()) wrong_type(node, path, key.example);
      read(*node.as_table(), path, into);
    }
  }

  template <class T>
  void take(const toml::node& node, const std::string& path, const Key& key, std::vector<T>& into) {
    if (!node.is_array()) wrong_type(node, path, key.example != nullptr ? key.example : "a list");
    into.clear();
    for (const auto& item : *node.as_array())
      take(item, "an entry of " + path, {.name = key.name}, into.emplace_back());
  }

  [[noreturn]] void wrong_type(const toml::node& at, const std::string& path,
                               const std::string& expected) const;
  std::string clean(const toml::value<std::string>& value) const;  ///< refuses NUL

  /// What `parse` makes of a text; its error is given the place.
  template <class Parse>
  auto parsed(const toml::node& node, const std::string& path, const Key& key, const Parse& parse) const {
    if (!node.is_string())
      wrong_type(node, path, key.example != nullptr ? key.example : "a quantity with its unit, in quotes");
    try {
      return parse(clean(*node.as_string()));
    } catch (const Error& error) {
      fail(node, path + ": " + error.problem(), error.remedy());
    }
  }

  /// The place of a word among those that are understood.
  std::size_t choice(const toml::node& node, const std::string& path, const Key& key,
                     const std::vector<std::string>& known) const;
  std::vector<std::pair<const toml::table*, std::string>> tables(const toml::table& root,
                                                                 const std::string& key);
};

/// Reads `[build]` and `[[candidate]]`. Included by this module's own sources only.
class CandidateReader : public TomlReader {
 public:
  using TomlReader::TomlReader;

 protected:
  /// What candidates inherit.
  void build_defaults(const toml::table& table);

  /// The candidates that one table stands for: one, or one for each of its commits.
  std::vector<PlannedCandidate> candidates(const toml::table& table, const std::string& path);

  /// A commit built as `[build]` says, in place of a candidate of the file.
  PlannedCandidate from_commit(const std::string& commit) const;

 private:
  PlannedCandidate defaults_;  ///< exe, source, build, identify
};

}  // namespace assay::plan
