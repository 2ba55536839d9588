#include "assay/model/design.hpp"

#include <algorithm>

namespace assay::inline v1::inline model {

const BuildFacts* build_of(const Design& design, CellId cell) {
  const auto twin_of = design.candidate_of(cell).twin_of;
  const auto candidate = twin_of ? *twin_of : design.cells[cell].candidate;
  const auto setting = design.cells[cell].setting.text();
  const auto found = std::ranges::find_if(design.builds, [&](const BuildFacts& build) {
    return build.candidate == candidate && build.setting == setting;
  });
  return found == design.builds.end() ? nullptr : &*found;
}

int layouts_of(const Design& design, const Contrast& of) {
  if (design.rules.layouts == 0 || design.is_twin(of.candidate)) return 0;
  for (const auto cell : {of.baseline, of.candidate})
    if (const auto* build = build_of(design, cell); build != nullptr && build->layouts > 0)
      return design.rules.layouts;
  return 0;
}

}  // namespace assay::inline v1::inline model
