#pragma once

#include <string>
#include <vector>

#include "assay/model/setting.hpp"

namespace assay::model {

/// A quantity that is varied.
struct Factor {
  enum class Role { size, threads, option };
  std::string name;
  std::vector<Level> levels;  ///< at least one, all different
  Role role = Role::option;
  bool operator==(const Factor&) const = default;
};

}  // namespace assay::model
