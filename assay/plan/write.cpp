#include "assay/plan/write.hpp"

#include <toml++/toml.h>

#include <string>
#include <vector>

#include "assay/plan/toml_writer.hpp"

namespace assay::plan {
namespace {

template <class T>
toml::array tables_of(const std::vector<T>& values) {
  toml::array array;
  for (const auto& value : values) array.push_back(table_of(value));
  return array;
}

toml::array candidates_of(const std::vector<PlannedCandidate>& candidates) {
  auto array = tables_of(candidates);
  for (std::size_t i = 0; i < candidates.size(); ++i)
    if (!candidates[i].commit.empty())
      array[i].as_table()->insert("commits", toml::array{candidates[i].commit});
  return array;
}

}  // namespace

std::string canonical_text(const PlannedWorkload& planned) {
  auto nameless = planned;
  nameless.name.clear();
  nameless.weight = 1;
  return text_of(table_of(nameless));
}

std::string to_toml(const Plan& plan) {
  toml::table root;
  root.insert("plan", table_of(plan));
  root.insert("rounds", table_of(plan.rounds));
  if (!plan.factors.empty()) root.insert("factor", tables_of(plan.factors));
  root.insert("candidate", candidates_of(plan.candidates));
  root.insert("workload", tables_of(plan.workloads));
  if (!plan.metrics.empty()) root.insert("metric", tables_of(plan.metrics));
  if (plan.gate != Gate{}) root.insert("gate", table_of(plan.gate));
  if (plan.history != PlannedHistory{}) root.insert("history", table_of(plan.history));
  return text_of(root) + "\n";
}

}  // namespace assay::plan
