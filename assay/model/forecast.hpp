#pragma once

#include <cstddef>
#include <optional>
#include <vector>

#include "assay/model/finding.hpp"

namespace assay::model {

/// A figure estimated from a few rounds, with an interval that covers it four times in five.
struct Range {
  double typical = 0, low = 0, high = 0;
};

/// What can be expected of one finding. From how much its effects vary, never from which way they point.
struct ComparisonForecast {
  Comparison comparison;
  MetricId metric;
  double margin = 0;
  /// The smallest relative change that is called with a chance of 80 % in the rounds there are; empty: none
  /// is.
  std::optional<Range> change;
  std::optional<Range>
      rounds_to_same;  ///< that "same" takes when nothing changed; empty: it did not vary at all
  /// The smallest margin within which the rounds there are say "same" four times in five, when nothing
  /// changed.
  std::optional<Range> margin_to_call_same;
};

/// What can be expected of a campaign.
struct Forecast {
  std::size_t cells = 0, twins = 0;            ///< cells that run; those of them that are twins'
  std::size_t comparisons = 0;                 ///< without the twins'
  double round_seconds = 0, twin_seconds = 0;  ///< one round, and the twins' part of it
  int rounds_min = 0, rounds_max = 0;          ///< planned; rounds_max 0: as many as there is time for
  int rounds = 0;                              ///< that there is time for, at most rounds_max
  int first_look = 0;                          ///< rounds without which there is no first verdict; 0: unknown
  std::optional<double> budget;                ///< seconds
  bool continues = false;                      ///< to the first look, if the budget ends before

  /// Whether the budget ends it before anything can be decided.
  bool impossible_reason() const { return budget && round_seconds > 0 && rounds < first_look; }
  std::vector<ComparisonForecast> forecasts;  ///< on watched metrics, without twins; empty before any round
};

}  // namespace assay::model
