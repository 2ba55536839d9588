#pragma once

#include <toml++/toml.h>

#include <string>
#include <utility>
#include <vector>

#include "assay/model/error.hpp"
#include "assay/model/setting.hpp"
#include "assay/plan/validate.hpp"

namespace assay::plan {

/// Control characters made harmless for messages.
std::string printable(std::string text);

/// Reads values out of TOML tables; each error says where in the file it is, what was found and what was
/// expected. Remembers where everything stands. Included by this module's own sources only.
class TomlReader {
 public:
  explicit TomlReader(std::string name) : name_(std::move(name)) {}

  const Places& places() const { return places_; }

 protected:
  std::string place(const toml::source_region& region) const;
  [[noreturn]] void fail(const toml::node& at, const std::string& problem, const std::string& remedy) const;
  [[noreturn]] void wrong_type(const toml::node& at, const std::string& path,
                               const std::string& expected) const;

  /// Throws for keys that are not `known`.
  void keys(const toml::table& table, const std::string& path, const std::vector<std::string>& known);
  const toml::table* section(const toml::table& root, const std::string& key);

  /// Calls read_one(table, path) for each table of a list.
  template <class Each>
  void each(const toml::table& root, const std::string& key, Each&& read_one) {
    for (const auto& [table, path] : tables(root, key)) read_one(*table, path);
  }

  // A value that may be there, or a default: empty text, empty list, what `into` had.
  std::string text(const toml::table& table, const std::string& path, const std::string& key);
  std::string clean(const toml::value<std::string>& value) const;  ///< refuses NUL
  std::vector<std::string> texts(const toml::table& table, const std::string& path, const std::string& key);
  void flag(const toml::table& table, const std::string& path, const std::string& key, bool& into);

  /// What `parse` makes of a text; its error is given the place.
  template <class Parse>
  auto parsed(const toml::table& table, const std::string& path, const std::string& key, Parse&& parse,
              const char* expected = "a quantity with its unit, in quotes")
      -> decltype(parse(std::string{})) {
    const auto* node = table.get(key);
    if (!node->is_string()) wrong_type(*node, path + "." + key, expected);
    try {
      return parse(clean(*node->as_string()));
    } catch (const Error& error) {
      fail(*node, path + "." + key + ": " + error.problem(), error.remedy());
    }
  }

  int count(const toml::table& table, const std::string& path, const std::string& key);
  int whole(const toml::node& node, const std::string& path);
  Level level(const toml::node& node, const std::string& path);

  std::string name_;
  Places places_;

 private:
  std::vector<std::pair<const toml::table*, std::string>> tables(const toml::table& root,
                                                                 const std::string& key);
};

}  // namespace assay::plan
