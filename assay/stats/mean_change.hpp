#pragma once

#include <span>
#include <vector>

#include "assay/stats/test_result.hpp"

namespace assay::stats {

/// P(Σ s_i·d_i ≥ Σ d_i) for signs s_i that are fair and independent: the one-sided p-value of a mean of
/// differences above 0, where each is as likely to be negative under no change. It is that of the studentised
/// mean as well, since Σ d² is the same for all signs; so it also holds, for many values, where differences
/// have mean 0 without being symmetric.
///
/// Exact by going through all signs up to 12 values. Beyond, the signs of the six largest are gone through,
/// and the sum of the others is taken as normal with the fourth-moment Edgeworth correction: a few large
/// values among many small ones are what makes such a sum far from normal. Within a tenth of the exact tail
/// from 1e-4 on.
///
/// All finite, at least one, else DomainError. Cost: O(n) and 4096 sums, or 64 normal tails.
///
/// Source: Fisher 1935; studentised, Janssen 1997; DiCiccio & Romano 2017.
double sign_flip_tail(std::span<const double> differences);

/// The change of the mean between two series that are paired by round: of ratios mean(b) / mean(a), or of
/// differences mean(b) − mean(a). At a change c the differences are b − c·a, or b − a − c, and their mean is
/// tested by sign_flip_tail().
///
/// Source: Fieller 1954 for the ratio of means by a test of the difference; the test as above.
class MeanChange {
 public:
  /// One length, finite, at least one; of ratios above zero. Else DomainError. The values must outlive it.
  MeanChange(std::span<const double> a, std::span<const double> b, bool ratio);

  double estimate() const { return estimate_; }

  /// One-sided p-values of a change above c, and below it.
  double p_above(double c) const;
  double p_below(double c) const;

  /// The changes that neither test rejects at (1 − level)/2; open where so few rounds reject none.
  Range interval(double level) const;

 private:
  double tail(double c, double sign) const;
  double end(double level, double sign) const;

  std::span<const double> a_, b_;
  bool ratio_;
  double estimate_;
};

/// The weighted mean of several means of differences, each over rounds of its own: Σ w_s·mean(d_s), weights
/// adding up to 1. At a common shift c each difference d − c counts w_s over the rounds of its series, and
/// the sum of all is tested by sign_flip_tail(): swaps in different series are independent. Source: as
/// MeanChange.
class StratifiedMean {
 public:
  /// As many weights as series, which have a value at least each; finite; weights above zero. Else
  /// DomainError.
  StratifiedMean(std::vector<std::vector<double>> differences, std::vector<double> weights);

  double estimate() const { return estimate_; }
  double p_above(double c) const { return tail(c, 1); }
  double p_below(double c) const { return tail(c, -1); }
  Range interval(double level) const;

 private:
  double tail(double c, double sign) const;

  std::vector<std::vector<double>> differences_;
  std::vector<double> weights_;
  double estimate_ = 0;
};

}  // namespace assay::stats
