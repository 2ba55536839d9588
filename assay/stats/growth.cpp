#include <algorithm>
#include <array>
#include <cmath>
#include <limits>
#include <utility>

#include "assay/model/error.hpp"
#include "assay/stats/fit.hpp"
#include "assay/stats/preconditions.hpp"

namespace assay::stats {
namespace {

using Law = std::pair<const char*, double (*)(double)>;

constexpr std::array<Law, 7> laws = {{{"constant", [](double) { return 0.0; }},
                                      {"log n", [](double n) { return std::log(n); }},
                                      {"n", [](double n) { return n; }},
                                      {"n log n", [](double n) { return n * std::log(n); }},
                                      {"n²", [](double n) { return n * n; }},
                                      {"n² log n", [](double n) { return n * n * std::log(n); }},
                                      {"n³", [](double n) { return n * n * n; }}}};

/// Relative errors have a floor, lest a perfect fit have an infinite likelihood.
constexpr double least_relative_error = 1e-9;

double corrected_criterion(double residual_sum, double n, double coefficients) {
  const double k = coefficients + 1;  // and the size of the errors
  if (n <= k + 1) return std::numeric_limits<double>::infinity();
  const double variance = std::max(residual_sum / n, least_relative_error * least_relative_error);
  return n * std::log(variance) + 2 * k + 2 * k * (k + 1) / (n - k - 1);
}

GrowthLaw fit_law(const Law& law, std::span<const double> size, std::span<const double> cost) {
  std::vector<double> grown, ones(size.size(), 1.0), weights;
  for (std::size_t i = 0; i < size.size(); ++i) {
    grown.push_back(law.second(size[i]));
    weights.push_back(1 / (cost[i] * cost[i]));
  }
  GrowthLaw result{.name = law.first};
  const auto n = static_cast<double>(size.size());
  const bool constant = std::ranges::all_of(grown, [](double g) { return g == 0; });
  auto fit = constant ? least_squares({ones}, cost, weights) : least_squares({ones, grown}, cost, weights);
  result.offset = fit.coefficients[0];
  result.factor = constant ? 0 : fit.coefficients[1];
  if (!constant && result.offset < 0) {
    fit = least_squares({grown}, cost, weights);
    result.offset = 0;
    result.factor = fit.coefficients[0];
  }
  if (result.factor < 0) {
    fit = least_squares({ones}, cost, weights);
    result.offset = fit.coefficients[0];
    result.factor = 0;
  }
  result.aicc = corrected_criterion(fit.residual_sum, n, constant ? 1 : 2);
  return result;
}

}  // namespace

Growth fit_growth(std::span<const double> size, std::span<const double> cost) {
  require_same_length(size, cost);
  require_positive(size, 3);
  require_positive(cost);
  for (std::size_t i = 0; i < size.size(); ++i)
    if (size[i] <= 1) throw DomainError("growth laws need sizes above one", i, size[i]);
  Growth growth;
  for (const auto& law : laws) growth.laws.push_back(fit_law(law, size, cost));
  std::ranges::stable_sort(growth.laws, {}, &GrowthLaw::aicc);
  constexpr std::size_t parameters = 3;  // offset, factor, and the size of the errors
  constexpr double clear_lead = 2;
  if (size.size() > parameters + 2 && growth.laws[1].aicc - growth.laws[0].aicc >= clear_lead)
    growth.name = growth.laws[0].name;
  return growth;
}

double exponent_of_law(const std::string& name, std::span<const double> size) {
  const auto law = std::ranges::find(laws, name, [](const Law& l) { return std::string(l.first); });
  if (law == laws.end()) throw DomainError("there is no law of growth called " + name);
  std::vector<double> cost;
  for (const double n : size) cost.push_back(law->second(n));
  return name == laws.front().first ? 0 : fit_power_law(size, cost).exponent;
}

}  // namespace assay::stats
