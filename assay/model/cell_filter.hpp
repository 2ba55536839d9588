#pragma once

#include <map>
#include <string>
#include <vector>

#include "assay/model/setting.hpp"

namespace assay::model {

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
