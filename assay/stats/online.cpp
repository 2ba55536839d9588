#include "assay/stats/online.hpp"

#include <cmath>

namespace assay::stats {
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
