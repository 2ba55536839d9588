#pragma once

#include <string>
#include <vector>

#include "assay/model/results.hpp"

namespace assay::judge {

/// A finding that should be measured again before it is believed.
struct Surprise {
  std::size_t finding = 0;  ///< its place in the findings
  std::string why;
};

/// The changes called on watched metrics that surprise: no larger than what a twin showed on that metric;
/// against the direction of at least two thirds of the candidate's other changes on it (of three or more);
/// another verdict than in an earlier campaign (`earlier`, or nullptr), where both have one.
std::vector<Surprise> find_surprises(const Findings& findings, const Findings* earlier);

/// What measuring again made of the findings: those on watched metrics that both campaigns have, matched by
/// the names of candidate, baseline, workload and metric, and the setting.
std::vector<Confirmation> compare_confirmation(const Findings& before, const Findings& now);

}  // namespace assay::judge
