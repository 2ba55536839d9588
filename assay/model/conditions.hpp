#pragma once

#include <optional>
#include <vector>

#include "assay/model/log.hpp"

namespace assay::model {

/// How unsteady one length of work was: the spread (standard deviation, robust) of log ratios of neighbours
/// that do the same, and the smallest change that a duel of one minute decides.
struct NoiseLevel {
  double seconds = 0;
  bool process = false;
  std::optional<double> in_turns, abreast;
  std::optional<double> rounds_in_turns, rounds_abreast;  ///< relative change
};

/// What a machine is like to measure on.
struct Conditions {
  std::vector<MachineFact> facts;
  double launch_cost = 0, clock_resolution = 0, clock_overhead = 0;  ///< seconds
  std::optional<double> steal, other_load;                           ///< shares of its CPU time
  std::optional<double> load;
  std::optional<bool> on_battery;
  std::vector<NoiseLevel> noise;
  std::vector<MachineFact> unavailable;  ///< metrics that can't be had here, and why
};

}  // namespace assay::model
