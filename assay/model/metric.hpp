#pragma once

#include <cstdint>
#include <optional>
#include <string>

#include "assay/model/visible.hpp"

namespace assay::model {

/// A demand on a metric's own value.
struct Requirement {
  enum class Bound { at_most, below, at_least, above };
  Bound bound = Bound::at_most;
  double limit = 0;  ///< in the metric's unit
  std::string text;  ///< as it was written

  /// Whether a value fulfils it.
  bool holds(double value) const;
  bool operator==(const Requirement&) const = default;
};

/// Reads `< 2 ms`, `<= 64 MiB`, `>= 250`, `> 1.5`: a comparison and a number, with a unit of time or memory
/// where the metric has one. Throws Error (without a place).
Requirement parse_requirement(const std::string& text);

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

enum class Direction { lower, higher, neither };
enum class MetricSubject { work, machine };  ///< machine (load, steal, …): shown, never judged

/// How much of the start of a series is ignored: the first `seconds`, or the first `values` values.
struct LeadIn {
  double seconds = 0;
  std::int64_t values = 0;
  bool none() const { return seconds <= 0 && values <= 0; }
  bool operator==(const LeadIn&) const = default;
};

/// What is asked of a metric in one campaign.
struct MetricRequest {
  bool watched = false;                ///< verdicts are given on it
  std::optional<double> margin;        ///< relative (0.01 is 1 %); empty: the campaign's
  std::optional<Requirement> require;  ///< of every candidate's own value, judged separately
  std::optional<double> ceiling;       ///< a physical limit of its values: at it, differences can't show
  LeadIn lead_in;                      ///< what of a trial's series is left out
  std::string missing;                 ///< why it is not measured here; empty: it is

  bool operator==(const MetricRequest&) const = default;
};

/// A measured quantity.
struct Metric {
  std::string name;
  /// "s", "B", "1/s", …; empty for a plain number. Values are in the unit itself: seconds, bytes.
  std::string unit;
  Direction direction = Direction::lower;
  Scale scale = Scale::ratio;
  MetricSubject subject = MetricSubject::work;
  bool exact = false;  ///< repeats exactly when nothing changed: compared directly, with margin 0
  /// Explains others rather than status for itself: all supporting metrics together share one error rate.
  bool supporting = false;
  double resolution_limit = 0;  ///< typical values below this are too coarse to be judged
  MetricRequest request;        ///< what the campaign asks of it

  /// Whether verdicts can be given on it: a direction is preferred, and it is about the work.
  bool is_judged() const { return direction != Direction::neither && subject == MetricSubject::work; }

  /// Whether its values are times that a trial takes.
  bool is_time() const {
    return unit == "s" && direction == Direction::lower && subject == MetricSubject::work;
  }
  bool operator==(const Metric&) const = default;
};

/// Which one number stands for many that a trial printed.
struct Aggregate {
  enum class Kind { first, last, min, max, median, mean, sum, quantile };
  Kind kind = Kind::median;
  double probability = 0.5;  ///< of a quantile, in [0, 1]
  bool operator==(const Aggregate&) const = default;
};

/// Reads a duration like `2 s`, or a number of values like `20`. Throws Error (without a place).
LeadIn parse_lead_in(const std::string& text);
/// The same the other way; empty for none.
std::string to_string(const LeadIn& lead_in);

/// Reads `first`, `last`, `min`, `max`, `median`, `mean`, `sum`, or a quantile in per cent like `q99` or
/// `q99.9`. Throws Error (without a place).
Aggregate parse_aggregate(const std::string& text);
std::string to_string(const Aggregate& pick);

}  // namespace assay::model
