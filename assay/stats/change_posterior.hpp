#pragma once

#include <cstddef>
#include <span>
#include <vector>

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

}  // namespace assay::stats
