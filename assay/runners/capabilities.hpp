#pragma once

#include <string>
#include <vector>

#include "assay/measure/cgroup.hpp"
#include "assay/measure/process.hpp"
#include "assay/model/id_table.hpp"
#include "assay/model/metric.hpp"
#include "assay/model/plan.hpp"

namespace assay::runners {

/// What this machine lets be measured of programs.
struct Capabilities {
  std::vector<measure::Counter> counters;  ///< hardware ones that count
  std::string counting_problem;            ///< why others don't
  bool bytes = true;                       ///< read and written
  measure::CgroupParent groups;            ///< where control groups can be made
};

/// Finds out by running a program that does nothing. Cost: a few milliseconds.
Capabilities detect_capabilities(measure::Launcher& launcher);

/// The metrics of a plan: Assay's own, throughput where work is declared, and the plan's. What can't be
/// measured here is there too, with the reason. Throws Error for a watched metric that can't be measured
/// here.
IdTable<MetricId, Metric> select_metrics(const Plan& plan, const Capabilities& offer);

/// The name of a workload's throughput: "throughput", and "throughput of UNIT" where a plan counts several.
std::string throughput_name(const Plan& plan, const Work& work);

}  // namespace assay::runners
