#pragma once

#include <cstddef>

#include "assay/model/design.hpp"
#include "assay/model/history.hpp"
#include "assay/model/plan.hpp"
#include "assay/model/results.hpp"

namespace assay::history {

/// A gate's answer to a history, with the design that names its subjects.
struct HistoryGate {
  GateResult result;
  Design design;
};

/// Holds the newest commits of a history against a gate, by whole intervals. A line fails where a step that
/// came in with one of the `newest` commits is confirmed and the interval of its campaign lies beyond what
/// is allowed (the gate's, else the margin). It passes where such intervals lie within that, or, where no
/// step came in, that of the last commit against the level before it does. Else it is undecided, as where
/// the last commit has no value. A last commit that could not be measured fails. Pure.
HistoryGate evaluate_gate(const History& history, const Gate& gate, std::size_t newest);

}  // namespace assay::history
