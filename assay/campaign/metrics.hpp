#pragma once

#include <map>
#include <optional>
#include <string>

#include "assay/measure/process.hpp"
#include "assay/model/campaign.hpp"
#include "assay/model/plan.hpp"

namespace assay::campaign {

/// What this machine lets be measured of programs.
struct Offer {
  std::vector<measure::Counter> counters;  ///< hardware ones that count
  std::string counting_problem;            ///< why others don't
  bool bytes = true;                       ///< read and written
  std::string group_parent;                ///< where control groups can be made; empty: nowhere
};

/// Finds out by running a program that does nothing. Cost: a few milliseconds.
Offer what_is_offered(measure::Launcher& launcher);

/// Lays down the metrics of a plan in `record`: Assay's own, throughput where work is declared, and the
/// plan's. What can't be measured here is there too, with the reason. Throws Error for a watched metric that
/// can't be measured here.
void lay_out_metrics(const Plan& plan, const Offer& offer, Record& record);

/// The metrics of a record by name, without those that can't be measured here.
class MetricIds {
 public:
  explicit MetricIds(const Record& record);
  std::optional<MetricId> find(const std::string& name) const;

 private:
  std::map<std::string, MetricId> ids_;
};

/// The name of a workload's throughput: "throughput", and "throughput of UNIT" where a plan counts several.
std::string throughput_name(const Plan& plan, const Work& work);

}  // namespace assay::campaign
