#pragma once

#include <stdexcept>
#include <string>
#include <vector>

#include "assay/model/plan.hpp"
#include "assay/model/results.hpp"

namespace assay::test {
using namespace model;

/// Candidates are lists of steps for the behaving program; the first is the baseline. Six rounds.
inline Plan plan_of(const std::vector<std::vector<std::string>>& steps, const OutputCheck& check = {}) {
  Plan plan{.rounds = {.min = 6, .max = 6, .mode = Way::turns},
            .workloads = {{.name = "w", .check = check}},
            .seed = 3};
  for (std::size_t i = 0; i < steps.size(); ++i) {
    PlannedCandidate candidate{.name = "c" + std::to_string(i), .run = {BEHAVE}};
    candidate.run.insert(candidate.run.end(), steps[i].begin(), steps[i].end());
    plan.candidates.push_back(candidate);
  }
  return plan;
}

/// The first finding on a metric. Throws when there is none.
inline const Finding& finding_on(const Findings& all, const std::string& metric) {
  for (const auto& f : all.findings)
    if (all.metric_of(f).name == metric) return f;
  throw std::out_of_range(metric);
}

}  // namespace assay::test
