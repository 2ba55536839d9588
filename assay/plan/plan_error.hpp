#pragma once

#include <algorithm>
#include <cstddef>
#include <string>
#include <vector>

#include "assay/model/plan.hpp"
#include "assay/plan/plan_file.hpp"

namespace assay::plan {

/// `kind[i]`: a path of Places.
inline std::string entry(const std::string& kind, std::size_t i) {
  return kind + "[" + std::to_string(i) + "]";
}

/// Refuses a plan at the place where it is wrong. Used by what validate() is made of.
class PlanErrors {
 public:
  /// REQUIRES: `places` outlives it.
  explicit PlanErrors(const Places& places) : places_(places) {}

  /// Throws Error at the place of `path`, or of what it is a part of; where neither is known, at the path
  /// itself.
  [[noreturn]] void fail(const std::string& path, const std::string& problem,
                         const std::string& remedy) const;

  /// Names of one kind must be there and differ.
  template <class Things>
  std::vector<std::string> names(const Things& things, const std::string& kind) const {
    std::vector<std::string> all;
    for (std::size_t i = 0; i < things.size(); ++i) {
      const auto path = entry(kind, i) + ".name";
      if (things[i].name.empty())
        fail(path, "a " + kind + " without a name", "give it one with name = \"…\"");
      if (std::ranges::count(all, things[i].name) > 0)
        fail(path, "two " + kind + "s are named \"" + things[i].name + "\"", "give each its own name");
      all.push_back(things[i].name);
    }
    return all;
  }

 private:
  const Places& places_;
};

/// The part of validate() that is about metrics: those that the plan defines, and those that it watches.
void validate_metrics(const Plan& plan, const PlanErrors& refusal);

/// Refuses what a service's workload can't be: no server for its requests, or none of them, two loops or
/// none, keys that only programs have. `path` is the workload's. Included by this module's own sources only.
void validate_service(const Plan& plan, const PlannedWorkload& workload, const std::string& path,
                      const PlanErrors& refusal);

}  // namespace assay::plan
