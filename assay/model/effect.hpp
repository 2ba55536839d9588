#pragma once

#include "assay/model/visible.hpp"

namespace assay::model {

/// How values of a metric are compared: positive ones by their ratio, others by their difference.
enum class Scale { ratio, difference };

/// How far a candidate's value is from its baseline's: candidate / baseline on a ratio scale, where 1 is no
/// change; candidate − baseline on a difference scale, where 0 is.
struct Effect {
  Scale scale = Scale::ratio;
  double value = 1;

  /// No change at all.
  static Effect none(Scale scale);

  /// The effect that lies at `x` on the scale that tests work on: a logarithm of a ratio, or a difference.
  static Effect from_transformed(Scale scale, double x);

  /// Where it lies on the scale that tests work on. 0 is no change, and swapping the two sides changes the
  /// sign.
  double transformed() const;

  /// How far from no change, whichever way, on the tests' scale.
  double distance() const;

  /// The change alone: a share of the baseline's value on a ratio scale (0.05 is 5 % more), else the
  /// difference.
  double change() const;

  bool is_ratio() const { return scale == Scale::ratio; }
  bool operator==(const Effect&) const = default;
};

/// A margin on the tests' scale: ln(1 + m) for a relative one, so that swapping the sides swaps the verdicts.
double transformed_margin(Scale scale, double margin);

/// Whether a value can be compared on this scale: above zero for ratios.
bool is_valid_value(Scale scale, double value);

/// The effect of one pair of values that fit, on the tests' scale.
double transformed_effect(Scale scale, double baseline, double candidate);

/// A value that fits as the tests see it: its logarithm on a ratio scale, else itself.
double transformed_value(Scale scale, double value);

/// The largest effect to the worse that is allowed: `allowed` is relative on a ratio scale (0.02 is 2 %),
/// else in the metric's unit. `lower_is_better` says which way worse is.
Effect regression_limit(Scale scale, double allowed, bool lower_is_better);

}  // namespace assay::model
