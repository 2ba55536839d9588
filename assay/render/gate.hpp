#pragma once

#include <string>

#include "assay/model/gate.hpp"

namespace assay::render {

/// What a gate made of findings: its answer, then a line for each reason; those that passed are counted
/// unless `all` asks for them.
std::string to_text(const GateResult& gate, bool all = false);

/// The same as a JUnit XML document: a test case for each reason; an undecided one is skipped, or fails where
/// the gate does not let it pass.
std::string to_junit(const GateResult& gate, const std::string& title);

}  // namespace assay::render
