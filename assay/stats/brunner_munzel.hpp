#pragma once

#include <cstddef>
#include <cstdint>
#include <span>

#include "assay/stats/test_result.hpp"

namespace assay::stats {

// Two independent samples x (m values) and y (n values). All values finite and as many as each function asks
// for, else DomainError. Two-sided p-values.

/// Test of P(X < Y) + ½P(X = Y) = ½ that allows the two distributions to differ in shape; at least two values
/// each. statistic: the studentised rank difference; p from Student's t with Satterthwaite's degrees of
/// freedom. Complete separation gives p = 0. Source: Brunner & Munzel 2000.
TestResult brunner_munzel(std::span<const double> x, std::span<const double> y);

}  // namespace assay::stats
