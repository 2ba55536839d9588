#include "assay/plan/filter.hpp"

#include <algorithm>
#include <set>

#include "assay/model/error.hpp"
#include "assay/model/text.hpp"
#include "assay/plan/cells.hpp"
#include "assay/plan/validate.hpp"

namespace assay::plan {
namespace {

template <class Things>
std::vector<std::string> names_of(const Things& things) {
  std::vector<std::string> names;
  for (const auto& thing : things) names.push_back(thing.name);
  return names;
}

void refuse_unknown(const Plan& plan, const CellFilter& only) {
  only.refuse_unknown_names(names_of(plan.factors), "the plan");
  for (const auto& [name, values] : only.allowed) {
    std::vector<std::string> there;
    if (name == "candidate") there = names_of(plan.candidates);
    if (name == "workload") there = names_of(plan.workloads);
    for (const auto& factor : plan.factors)
      if (factor.name == name)
        for (const auto& level : factor.levels) there.push_back(to_string(level));
    for (const auto& value : values)
      if (std::ranges::count(there, value) == 0)
        throw Error("there is no " + name + " \"" + value + "\"", Error::Field::only,
                    did_you_mean(value, there));
  }
}

bool has_level(const Factor& factor, const Level& level) {
  return std::ranges::any_of(factor.levels, [&](const auto& l) { return to_string(l) == to_string(level); });
}

}  // namespace

void filter_plan(Plan& plan, const CellFilter& only) {
  if (only.empty()) return;
  refuse_unknown(plan, only);
  if (plan.baseline.empty()) plan.baseline = plan.candidates.front().name;
  std::erase_if(plan.workloads, [&](const auto& w) { return !only.matches("workload", w.name); });
  for (auto& factor : plan.factors)
    std::erase_if(factor.levels, [&](const auto& l) { return !only.matches(factor.name, to_string(l)); });

  std::set<std::string> needed;
  for (std::size_t i = 0; i < plan.candidates.size(); ++i)
    if (only.matches("candidate", plan.candidates[i].name))
      if (const auto baseline = baseline_of(plan, CandidateId{static_cast<std::int64_t>(i)}))
        needed.insert(plan.candidate(*baseline).name);
  needed.insert(plan.baseline);
  std::erase_if(plan.candidates, [&](const PlannedCandidate& c) {
    const bool ruled_out = std::ranges::any_of(plan.factors, [&](const Factor& factor) {
      const auto fixed = c.with.find(factor.name);
      return fixed != c.with.end() && !has_level(factor, fixed->second);
    });
    return ruled_out || (!only.matches("candidate", c.name) && !needed.contains(c.name));
  });

  const auto left = names_of(plan.candidates), workloads = names_of(plan.workloads);
  const auto gone_from = [](const std::vector<std::string>& names) {
    return [&](const std::string& name) { return std::ranges::count(names, name) == 0; };
  };
  for (auto& workload : plan.workloads) std::erase_if(workload.skip, gone_from(left));
  std::erase_if(plan.metrics, [&](PlannedMetric& metric) {
    const bool named = !metric.workloads.empty();
    std::erase_if(metric.workloads, gone_from(workloads));
    if (named && metric.workloads.empty()) std::erase(plan.watch, metric.metric.name);
    return named && metric.workloads.empty();
  });
  try {
    validate(plan);
  } catch (const Error& error) {
    throw Error("nothing is left to compare: " + error.problem(), Error::Field::only, "choose less narrowly");
  }
}

}  // namespace assay::plan
