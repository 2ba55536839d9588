#pragma once

#include <cstddef>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "assay/stats/preconditions.hpp"

namespace assay::stats {

/// Weighted least squares of y on the columns of a design.
struct LinearFit {
  std::vector<double> coefficients;
  std::vector<std::vector<double>> covariance;  ///< of the coefficients
  double residual_sum = 0;                      ///< Σ w (y − fit)²
  std::size_t freedom = 0;                      ///< values − coefficients
  /// Coefficient i ± Student's t; unbounded without freedom. level in (0, 1).
  Range interval(std::size_t i, double level = 0.95) const;
};

/// `columns`: each as long as y; at least as many values as columns, which must not be linearly dependent.
/// `weights`: empty for equal ones, else positive. Throws DomainError otherwise. Cost: O(values · columns²),
/// by Householder QR (Eigen).
LinearFit least_squares(const std::vector<std::vector<double>>& columns, std::span<const double> y,
                        std::span<const double> weights = {});

/// cost = factor · size^exponent, by least squares of ln cost on ln size.
struct PowerLaw {
  double factor = 1, exponent = 0;
  Range exponent_interval;
  LinearFit fit;  ///< coefficients: ln factor, exponent
};

/// Sizes and costs above zero, at least three, at least two different sizes; else DomainError.
PowerLaw fit_power_law(std::span<const double> size, std::span<const double> cost, double level = 0.95);

/// The size at which two power laws cost the same.
struct Crossing {
  double at = 0;
  Range interval;  ///< from 0 or to infinity where the data don't bound it
};

/// Empty when the two exponents are equal. Interval by Fieller's theorem on ln size, normal quantiles; the
/// two fits are taken to be independent. Source: Fieller 1954.
std::optional<Crossing> crossing(const PowerLaw& a, const PowerLaw& b, double level = 0.95);

/// Universal scalability law: throughput(k) = rate·k / (1 + contention·(k − 1) + coherency·k·(k − 1)).
struct Scalability {
  double rate = 0;        ///< of one
  double contention = 0;  ///< at least 0
  double coherency = 0;   ///< at least 0
  double peak = 0;        ///< k of the largest throughput; infinite when it never falls
  double at(double k) const;
};

/// Least squares of k/throughput on 1, k − 1 and k(k − 1), weighted for relative errors, with coefficients
/// kept at or above zero. k from 1 on, throughputs above zero, at least three different k; else DomainError.
/// Source: Gunther 2007.
Scalability fit_scalability(std::span<const double> k, std::span<const double> throughput);

/// The place (index) of a curve's knee: where it is furthest above the chord between its ends, both axes
/// scaled to [0, 1]; for a falling curve, furthest below. x growing, at least three points. Empty for a
/// straight line. Source: Satopää et al. 2011.
std::optional<std::size_t> knee(std::span<const double> x, std::span<const double> y);

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
