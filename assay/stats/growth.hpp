#pragma once

#include <optional>
#include <span>
#include <string>
#include <vector>

namespace assay::stats {

/// The usual laws of growth: constant, log n, n, n log n, n², n² log n, n³, in this order.
struct GrowthLaw {
  std::string name;
  double offset = 0, factor = 0;  ///< cost = offset + factor · law(size)
  double aicc = 0;                ///< smaller is better
};

/// Which law describes the costs best, by the corrected information criterion on relative errors.
struct Growth {
  std::vector<GrowthLaw> laws;      ///< best first
  std::optional<std::string> name;  ///< of the best, where it is known
};

/// Fits offset + factor·law, both at least 0, to each law, weighting by 1/cost². A law is named only when
/// there are more sizes than parameters + 2 (six or more) and it leads the next by at least 2; else "can't
/// tell" (empty). Sizes above one, costs above zero, one cost a size, at least three; else DomainError.
/// Source: Akaike 1974; Hurvich & Tsai 1989; the lead of 2 from Burnham & Anderson 2002.
Growth fit_growth(std::span<const double> size, std::span<const double> cost);

/// The exponent of the power law that comes nearest to a pure law of growth at these sizes, by least squares
/// of logarithms: 2 for n², a little above 1 for n log n. `name` is one of fit_growth()'s; sizes above one,
/// at least three; else DomainError.
double exponent_of_law(const std::string& name, std::span<const double> size);

}  // namespace assay::stats
