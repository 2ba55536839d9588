#pragma once

#include <cstddef>
#include <span>
#include <vector>

namespace assay::stats {

// Many tests at once. All take p-values in the order given, each in [0, 1] (else DomainError), and cost a
// sort.

/// p-values adjusted so that calling those at or below q keeps the expected share of false calls at or below
/// q. Valid under independence and positive dependence. Source: Benjamini & Hochberg 1995; Benjamini &
/// Yekutieli 2001.
std::vector<double> adjust_benjamini_hochberg(std::span<const double> p);

/// p-values adjusted so that calling those at or below alpha keeps the chance of even one false call at or
/// below alpha, under any dependence. Source: Holm 1979.
std::vector<double> adjust_holm(std::span<const double> p);

}  // namespace assay::stats
