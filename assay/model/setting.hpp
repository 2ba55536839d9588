#pragma once

#include <cstdint>
#include <map>
#include <optional>
#include <string>
#include <variant>
#include <vector>

#include "assay/model/visible.hpp"

namespace assay::model {

/// One value of a factor.
using Level = std::variant<bool, std::int64_t, double, std::string>;

/// As a plan writes it: `true`, `800`, `0.5`, `on`. Doubles in the shortest form that reads back the same.
std::string to_string(const Level& level);

/// A level as a number; empty where it is none.
std::optional<double> number_of(const Level& level);

/// One choice of a level for every factor.
struct Setting {
  std::map<std::string, Level> levels;

  /// Canonical text `name=value, …` in order of the names; empty without factors. Equal settings, and only
  /// they, have equal texts as long as a factor's levels differ in text, which plans see to.
  std::string text() const;

  /// The level of factor `name` as a whole number. Throws Error when there is no such factor or its level is
  /// not a whole number.
  std::int64_t integer(const std::string& name) const;

  bool operator==(const Setting&) const = default;
};

/// A choice among the cells of a plan or campaign, as `--only workload=orders,locks=800` makes it.
///
/// Different names restrict each other; one name given several times allows each of its values:
/// `locks=200,locks=800` is both sizes. The names are `candidate`, `workload` and the factors'.
struct CellFilter {
  std::map<std::string, std::vector<std::string>> allowed;

  bool empty() const { return allowed.empty(); }
  /// Whether `name` may be `value`: true where the filter does not have that name.
  bool matches(const std::string& name, const std::string& value) const;
  /// Whether no level of the setting is ruled out.
  bool matches(const Setting& setting) const;
  /// Throws Error for a name that is not `candidate`, `workload` or one of `factors`. `of`: "the plan".
  void refuse_unknown_names(std::vector<std::string> factors, const std::string& of) const;
};

/// Reads `name=value,name=value`; a part without `=` goes on with the value before it. Throws Error for a
/// part without a name or a value.
CellFilter parse_cell_filter(const std::string& text);

}  // namespace assay::model
