#include <array>
#include <cstddef>

#include "assay/model/campaign.hpp"
#include "assay/model/gate.hpp"

namespace assay::inline model {
namespace {

template <class Enum, std::size_t n>
std::string name_of(Enum value, const std::array<const char*, n>& words) {
  return words.at(static_cast<std::size_t>(value));
}

}  // namespace

std::string to_string(Outcome outcome) {
  return name_of(outcome, std::array{"ok", "wrong", "failed", "timed out", "signalled", "over limit",
                                     "absent", "interrupted", "void"});
}

std::string to_string(Role role) {
  return name_of(role, std::array{"build", "check", "pilot", "first", "counted", "control"});
}

std::string to_string(Verdict verdict) {
  return name_of(verdict, std::array{"better", "worse", "same", "unclear"});
}

std::string to_string(RequirementFinding::Status status) {
  return name_of(status, std::array{"met", "broken", "undecided"});
}

std::string to_string(Confirmation::Status status) {
  return name_of(status, std::array{"confirmed", "not confirmed", "unclear", "settled"});
}

std::string to_string(GateStatus status) {
  return name_of(status, std::array{"passed", "failed", "undecided"});
}

std::string to_string(CampaignState state) {
  return name_of(state, std::array{"open", "interrupted", "ended"});
}

std::string to_string(Standing standing) {
  return name_of(standing, std::array{"sound", "wrong", "failed", "absent"});
}

}  // namespace assay::inline model
