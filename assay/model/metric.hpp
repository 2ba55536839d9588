#pragma once

#include <optional>
#include <string>

#include "assay/model/effect.hpp"
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

enum class Direction { lower, higher, neither };
enum class MetricSubject { work, machine };  ///< machine (load, steal, …): shown, never judged

/// What is asked of a metric in one campaign.
struct MetricRequest {
  bool watched = false;                ///< verdicts are given on it
  std::optional<double> margin;        ///< relative (0.01 is 1 %); empty: the campaign's
  std::optional<Requirement> require;  ///< of every candidate's own value, judged apart
  std::optional<double> ceiling;       ///< a physical limit of its values: at it, differences can't show
  std::string lead_in;  ///< what of a trial's series is left out, as the plan has it; empty: nothing
  std::string missing;  ///< why it is not measured here; empty: it is

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

}  // namespace assay::model
