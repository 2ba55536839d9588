#pragma once

#include <optional>
#include <vector>

#include "assay/model/log.hpp"

namespace assay::inline v1::inline model {

/// How unsteady one length of work was: the spread (standard deviation, robust) of log ratios of neighbours
/// that do the same, and the smallest change that a duel of one minute settles.
struct SteadinessRow {
  double seconds = 0;
  bool process = false;
  std::optional<double> turns, abreast;
  std::optional<double> settles_turns, settles_abreast;  ///< relative change
};

/// What a machine is like to measure on.
struct Conditions {
  std::vector<MachineFact> facts;
  double launch_cost = 0, clock_resolution = 0, clock_overhead = 0;  ///< seconds
  std::optional<double> stolen, others;                              ///< shares of its CPU time
  std::optional<double> load;
  std::optional<bool> on_battery;
  std::vector<SteadinessRow> steadiness;
  std::vector<MachineFact> missing;  ///< metrics that can't be had here, and why
};

}  // namespace assay::inline v1::inline model
