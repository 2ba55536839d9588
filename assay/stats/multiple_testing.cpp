#include "assay/stats/multiple_testing.hpp"

#include <algorithm>
#include <cmath>
#include <numeric>

#include "assay/model/error.hpp"

namespace assay::stats {

namespace {

/// Places of the p-values from the smallest to the largest.
std::vector<std::size_t> ascending(std::span<const double> p) {
  for (std::size_t i = 0; i < p.size(); ++i)
    if (!(p[i] >= 0 && p[i] <= 1)) throw DomainError("a p-value must lie between 0 and 1", i, p[i]);
  std::vector<std::size_t> order(p.size());
  std::iota(order.begin(), order.end(), std::size_t{0});
  std::ranges::stable_sort(order, {}, [&](std::size_t i) { return p[i]; });
  return order;
}

}  // namespace

std::vector<double> adjust_benjamini_hochberg(std::span<const double> p) {
  const auto order = ascending(p);
  std::vector<double> adjusted(p.size());
  double least = 1;
  for (std::size_t rank = p.size(); rank > 0; --rank) {
    const auto i = order[rank - 1];
    least = std::min(least, p[i] * static_cast<double>(p.size()) / static_cast<double>(rank));
    adjusted[i] = least;
  }
  return adjusted;
}

std::vector<double> adjust_holm(std::span<const double> p) {
  const auto order = ascending(p);
  std::vector<double> adjusted(p.size());
  double most = 0;
  for (std::size_t rank = 0; rank < p.size(); ++rank) {
    const auto i = order[rank];
    most = std::max(most, std::min(1.0, p[i] * static_cast<double>(p.size() - rank)));
    adjusted[i] = most;
  }
  return adjusted;
}

namespace {

/// Sums to 1 over all j from 1 on.
double gamma_of(std::size_t j) {
  constexpr double zeta_of_1_6 = 2.2857656569;
  return std::pow(static_cast<double>(j), -1.6) / zeta_of_1_6;
}

}  // namespace

double OnlineDiscoveries::level(std::size_t later) const {
  const auto place = decided_ + 1 + later;
  const double wealth = alpha_ / 2;
  double level = wealth * gamma_of(place);
  for (std::size_t j = 0; j < rejected_.size(); ++j)
    level += (j == 0 ? alpha_ - wealth : alpha_) * gamma_of(place - rejected_[j]);
  return level;
}

bool OnlineDiscoveries::decide(double p) {
  const bool rejects = p <= level();
  ++decided_;
  if (rejects) rejected_.push_back(decided_);
  return rejects;
}

}  // namespace assay::stats
