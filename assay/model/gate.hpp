#pragma once

#include <string>
#include <vector>

namespace assay::inline model {

enum class GateStatus { passed, failed, undecided };
std::string to_string(GateStatus status);

/// One thing that a gate asks for, and how it came out.
struct GateReason {
  GateStatus status = GateStatus::passed;
  std::string about;  ///< "heap on orders, locks=200, wall time"
  std::string text;   ///< one line
};

struct GateResult {
  GateStatus status = GateStatus::passed;  ///< failed when anything failed, else undecided when anything is
  bool passes = true;                      ///< with what the gate makes of undecided
  std::vector<GateReason> reasons;         ///< failed first, then undecided, then passed
  std::string caution;                     ///< what weakens all of it; empty: nothing does
};

}  // namespace assay::inline model
