#pragma once

#include <cmath>
#include <random>
#include <vector>

namespace assay::test {
using namespace model;

/// Values around `centre` with lognormal noise; the same for the same seed.
inline std::vector<double> noisy(double centre, std::size_t count, unsigned seed, double spread = 0.002) {
  std::mt19937 random(seed);
  std::normal_distribution<double> normal;
  std::vector<double> values;
  for (std::size_t i = 0; i < count; ++i) values.push_back(centre * std::exp(spread * normal(random)));
  return values;
}

}  // namespace assay::test
