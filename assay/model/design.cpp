#include "assay/model/design.hpp"

#include <algorithm>

namespace assay::inline v1::inline model {

int layouts_of(const Design& design, const Contrast& of) {
  if (design.rules.layouts == 0 || design.is_twin(of.candidate)) return 0;
  const auto is_varied = [&](CandidateId candidate) {
    return std::ranges::any_of(design.builds, [&](const BuildFacts& build) {
      return build.candidate == candidate && build.layouts > 0;
    });
  };
  const auto &mine = design.cells[of.candidate].candidate, &its = design.cells[of.baseline].candidate;
  return is_varied(mine) || is_varied(its) ? design.rules.layouts : 0;
}

}  // namespace assay::inline v1::inline model
