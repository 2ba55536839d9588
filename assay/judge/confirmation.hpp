#pragma once

#include <cstddef>
#include <vector>

#include "assay/model/results.hpp"

namespace assay::judge {

/// A finding that should be measured again before it is believed.
struct Surprise {
  enum class Reason {
    within_aa_noise,  ///< no larger than what a twin showed on that metric
    against_others,   ///< `opposite` of the candidate's `others` other changes point the other way
    against_earlier   ///< an earlier campaign came to the verdict `before`
  };
  std::size_t finding = 0;  ///< its place in the findings
  Reason reason = Reason::within_aa_noise;
  std::size_t others = 0, opposite = 0;
  Verdict before = Verdict::unclear;
};

/// The changes called on watched metrics that surprise: no larger than what a twin showed on that metric;
/// against the direction of at least two thirds of the candidate's other changes on it (of three or more);
/// another verdict than in an earlier campaign (`earlier`, or nullptr), where both have one.
std::vector<Surprise> find_surprises(const Findings& findings, const Findings* earlier);

/// What measuring again made of the findings: those on watched metrics that both campaigns have, matched by
/// the names of candidate, baseline, workload and metric, and the setting.
std::vector<Confirmation> compare_confirmation(const Findings& before, const Findings& now);

}  // namespace assay::judge
