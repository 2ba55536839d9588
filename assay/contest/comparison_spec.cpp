#include "assay/contest/comparison_spec.hpp"

#include <algorithm>

namespace assay::contest {
namespace {

std::string shown(const Answer& answer) {
  constexpr std::size_t most = 60;
  if (answer.text.empty()) return "another value";
  return answer.text.size() > most ? answer.text.substr(0, most) + "…" : answer.text;
}

}  // namespace

std::vector<Setting> settings_of(std::vector<Factor> factors) {
  for (auto& factor : factors)
    if (factor.role == Factor::Role::size) std::ranges::sort(factor.levels);
  return all_settings(factors);
}

std::string disagreement(const Contest::ComparisonSpec& parts, const Answer& baseline, const Answer& answer) {
  if (parts.skip_answer_check || (baseline.type == typeid(void) && answer.type == typeid(void))) return {};
  if (baseline.type != answer.type)
    return "it returns a value of another type than the baseline; compare them with agree(...) on a common "
           "type, or say may_differ()";
  const auto *a = baseline.value.get(), *b = answer.value.get();
  if (parts.agreement_type) {
    if (*parts.agreement_type != answer.type)
      return "it returns a value of another type than agree(...) compares";
    return parts.same(a, b) ? ""
                            : "its answer does not agree with the baseline's: " + shown(answer) +
                                  ", expected " + shown(baseline);
  }
  if (parts.tolerance && answer.distance) {
    const double distance = answer.distance(a, b);
    if (distance <= *parts.tolerance) return {};
    return distance >= 1e300 ? "its answer is not as long as the baseline's, or not a number"
                             : "its answer differs by " + to_string(Level{distance}) +
                                   " of its size, allowed are " + to_string(Level{*parts.tolerance});
  }
  if (!answer.equal)
    return "its answers can't be compared: their type has no ==; use agree(...) or may_differ()";
  if (answer.equal(a, b)) return {};
  return "its answer is not the baseline's: " + shown(answer) + ", expected " + shown(baseline);
}

}  // namespace assay::contest
