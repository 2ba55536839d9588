#pragma once

#include <vector>

namespace assay::stats {

/// A table taken apart into what all of it has in common, what each row and each column adds, and what is
/// left.
struct MedianPolish {
  double overall = 0;
  std::vector<double> rows, columns;
};

/// `table`: rows of one length, at least one value; else DomainError. Sweeps medians out of rows and columns
/// in turn, at most ten times or until nothing changes by more than 1e-12 of the largest value. Of two
/// columns their difference is then the median of the rows' differences. Source: Tukey 1977, ch. 11; R's
/// medpolish().
MedianPolish median_polish(const std::vector<std::vector<double>>& table);

}  // namespace assay::stats
