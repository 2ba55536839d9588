#pragma once

#include <cstddef>
#include <span>
#include <vector>

#include "assay/stats/preconditions.hpp"

namespace assay::stats {

/// What is believed of a change of level before it is looked for. All in the unit of the values.
struct ChangeModel {
  double step = 1;   ///< the smallest that is looked for; above 0
  double total = 1;  ///< between the two ends, at least `step`: later places may have more steps in them
  double scale = 1;  ///< standard deviation of a value; above 0
};

/// Where along a sequence of places the level changed, estimated from noisy values at places of one's choice.
///
/// Place 0 is known to be before the change, the last one after it; the change is *at* one of 1 … last: that
/// place is the first with the new level. Before it values are around 0, at it around some level from `step`
/// to `total`: the step itself with probability 0.6, the total and the middle between them with 0.2 each, so
/// that of several steps the first is found (with equal weights, and two equal steps, another one was in a
/// tenth of all cases). From there on the level stays, but for further steps up, of which a quarter of one
/// is expected in the whole line to either of the levels above: so later places tell how large the step is.
/// Each value is normal, but for one in twenty, which is ten times as wide: no single outlier decides
/// anything.
///
/// Source: probabilistic bisection (Burnashev & Zigangirov 1974; Ben-Or & Hassidim 2008; Waeber, Frazier &
/// Henderson 2013), with a contaminated normal likelihood (Tukey 1960); the sum over paths of levels by the
/// backward recursion of hidden Markov models (Rabiner 1989).
class ChangePosterior {
 public:
  /// `last` from 1 on, else DomainError. Every place is as likely at first.
  explicit ChangePosterior(std::size_t last);

  std::size_t last() const { return values_.size() - 1; }

  /// Adds a value seen at a place from 0 to last (else DomainError); finite. Those of 0 and the last tell of
  /// the scale alone.
  void add(std::size_t place, double value);
  std::span<const double> at(std::size_t place) const { return values_[place]; }
  std::size_t count() const;  ///< of values, in all

  /// The standard deviation of a value, from how values of one place differ from each other: the median of
  /// their absolute differences, times 1.0483, so that outliers hardly count, and
  /// times 1 + 3/f with f degrees of freedom: searches that trusted the scale of seven values were wrong in
  /// 12 to 19 % at a stated 5 %. `fallback` where no place has two values or they are all alike. Cost: the
  /// sum of squares of the places' counts.
  double scale(double fallback) const;

  /// The probability that the change is at each place: index 0 is place 0 and holds 0. They sum to 1. Cost:
  /// linear in places and values.
  std::vector<double> probabilities(const ChangeModel& model) const;

 private:
  std::vector<std::vector<double>> values_;  ///< by place
};

/// Bits that `pairs` values at a place tell of where the change is, when it is at that place or before with
/// probability `before`, and shifts a value by `effect` standard deviations. `before` in [0, 1], `effect` ≥
/// 0. At before = 1/2 and one value: 0.161, 0.486 and 0.913 for effects of 1, 2 and 4. By Simpson's rule;
/// error below 1e-4. Source: Cover & Thomas 2006, chapter 2 (mutual information of a binary input and a
/// normal output).
double mutual_information(double before, double effect, std::size_t pairs = 1);

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
