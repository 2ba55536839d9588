#pragma once

#include <span>
#include <vector>

namespace assay::stats {

/// p-values adjusted so that calling those at or below q keeps the expected share of false calls at or below
/// q (Benjamini & Hochberg 1995; valid under independence and positive dependence, Benjamini & Yekutieli
/// 2001). In the order given. Values in [0, 1], else DomainError. Cost: a sort.
std::vector<double> adjust_benjamini_hochberg(std::span<const double> p);

}  // namespace assay::stats
