#pragma once

#include <cstdint>
#include <span>

#include "assay/stats/test_result.hpp"

namespace assay::stats {

// Two independent samples x (m values) and y (n values). All values finite and as many as each function asks
// for, else DomainError. Two-sided p-values.

/// Fisher's exact test of two failure rates: a of m against b of n. The sum of the chances of all tables that
/// are no likelier than the one seen. a ≤ m, b ≤ n, else DomainError. statistic: the sample odds ratio.
/// Source: Fisher 1935.
TestResult fisher_exact(std::uint64_t a, std::uint64_t m, std::uint64_t b, std::uint64_t n);

}  // namespace assay::stats
