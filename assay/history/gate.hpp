#pragma once

#include <cstddef>

#include "assay/model/design.hpp"
#include "assay/model/gate.hpp"
#include "assay/model/history.hpp"
#include "assay/model/plan.hpp"

namespace assay::inline v1::history {

/// A gate's answer to a history, with the design that names its subjects.
struct HistoryGate {
  GateResult result;
  Design design;
};

/// Holds the newest commits of a history against a gate: for each line the largest change to the worse that
/// came in with one of the `newest` commits. It fails beyond what is allowed (the gate's, else the margin)
/// where that is confirmed, is undecided where it is only suggested, or where the last commit has no value,
/// and passes else. A last commit that could not be measured fails. Pure.
HistoryGate hold_against(const History& history, const Gate& gate, std::size_t newest);

}  // namespace assay::inline v1::history
