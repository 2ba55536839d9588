#pragma once

#include "assay/contest/contest.hpp"

namespace assay::contest {

/// What a contest consists of; included by this module's own sources only.
struct Contest::ComparisonSpec {
  struct Named {
    std::string name;
    std::unique_ptr<Callable> callable;
  };

  std::string title;
  std::vector<Factor> factors;
  std::vector<Named> candidates;  ///< the baseline first, once there is one
  bool has_baseline = false;
  std::function<std::unique_ptr<Input>(const Setting&)> make_input;

  bool skip_answer_check = false;
  std::optional<double> tolerance;
  std::optional<std::type_index> agreement_type;
  std::function<bool(const void*, const void*)> same;

  std::function<double(const Setting&)> amount;
  std::string unit;
  std::vector<std::pair<std::string, Requirement>> requirements;
  Options options;
};

/// Every setting of the factors, those of a size factor in growing order.
std::vector<Setting> settings_of(std::vector<Factor> factors);

/// Why an answer does not agree with the baseline's, in words; empty when it does.
std::string disagreement(const Contest::ComparisonSpec& parts, const Answer& baseline, const Answer& answer);

}  // namespace assay::contest
