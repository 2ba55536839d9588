#pragma once

#include <optional>
#include <string>
#include <vector>

#include "assay/model/log.hpp"

namespace assay::render {

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
  std::vector<Fact> facts;
  double launch_cost = 0, clock_resolution = 0, clock_overhead = 0;  ///< seconds
  std::optional<double> stolen, others;                              ///< shares of its CPU time
  std::optional<double> load;
  std::optional<bool> on_battery;
  std::vector<SteadinessRow> steadiness;
  std::vector<Fact> missing;  ///< metrics that can't be had here, and why
};

/// Plain sentences: the smallest change a one-minute duel can settle here, and what would help. A hint is
/// given for: more than 5 % of CPU time taken by the host, more than 10 % by other programs, battery, a
/// frequency governor that is not "performance", abreast at less than half the spread of in turns, longer
/// work at less than half the spread of shorter.
std::vector<std::string> advice(const Conditions& conditions);

std::string to_text(const Conditions& conditions);
std::string to_json(const Conditions& conditions);

}  // namespace assay::render
