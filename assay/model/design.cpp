#include "assay/model/design.hpp"

#include <algorithm>

namespace assay::model {
namespace {

/// Is the program of a cell relinked? The setting of a part of a contest has more levels than its program
/// was built for; such a part goes by all builds of its candidate.
bool is_varied(const Design& design, CellId cell) {
  const auto candidate = design.cells[cell].candidate;
  const auto setting = design.cells[cell].setting.text();
  bool any = false;
  for (const auto& build : design.builds) {
    if (build.candidate != candidate) continue;
    if (build.setting == setting) return build.layouts > 0;
    any = any || build.layouts > 0;
  }
  return any;
}

}  // namespace

int layouts_of(const Design& design, const Comparison& of) {
  if (design.rules.layouts == 0 || design.is_twin(of.candidate)) return 0;
  return is_varied(design, of.candidate) || is_varied(design, of.baseline) ? design.rules.layouts : 0;
}

std::vector<Setting> all_settings(const std::vector<Factor>& factors) {
  std::vector<Setting> settings(1);
  for (const auto& factor : factors) {
    std::vector<Setting> wider;
    for (const auto& setting : settings)
      for (const auto& level : factor.levels) {
        wider.push_back(setting);
        wider.back().levels[factor.name] = level;
      }
    settings = std::move(wider);
  }
  return settings;
}

}  // namespace assay::model
