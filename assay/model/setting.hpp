#pragma once

#include <cstdint>
#include <map>
#include <optional>
#include <string>
#include <variant>

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

}  // namespace assay::model
