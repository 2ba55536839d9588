#pragma once

#include <optional>
#include <string>
#include <vector>

#include "assay/model/cell.hpp"
#include "assay/model/plan.hpp"

namespace assay::plan {

/// A cell with what it takes to run it.
struct PlannedCell {
  Cell cell;  ///< its ids are places in the plan's candidates and workloads
  std::vector<std::string> command;
  Control control;                        ///< of its workload, placeholders expanded
  std::optional<double> work;             ///< amount done by one trial, where the workload declares it
  std::vector<std::string> metric_files;  ///< for each of the plan's metrics its `from`, expanded
};

/// Every choice of a level for each factor, the first factor varying slowest. One empty setting without
/// factors.
std::vector<Setting> all_settings(const std::vector<Factor>& factors);

/// Every candidate × workload × setting of a valid plan, workload by workload, setting by setting, the
/// candidates in the plan's order within; without those that a workload skips or that `with` rules out.
/// A setting that several candidates share has one text for all of them, so that they can be paired.
///
/// Throws Error for placeholders without a value. Cost: cells × length of their commands.
std::vector<PlannedCell> expand_cells(const Plan& plan);

/// Each candidate's cell beside its baseline's of the same workload and setting. Candidates without a
/// partner there have no contrast.
std::vector<Contrast> contrasts_of(const std::vector<PlannedCell>& cells, const Plan& plan);

/// The place of the plan's baseline among its candidates.
CandidateId baseline_of(const Plan& plan);

}  // namespace assay::plan
