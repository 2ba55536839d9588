#pragma once

/// Holds findings against a gate: may this change go in?
///
///   const auto gate = assay::evaluate_gate(findings, {.allow = 0.02});
///   std::cout << assay::to_text(gate, findings.design);
///   return gate.status == assay::GateStatus::failed ? 1 : 0;

#include "assay/judge/gate.hpp"
#include "assay/judge/judge.hpp"
#include "assay/render/documents.hpp"

namespace assay {

using model::Findings;
using model::Gate;
using model::GateResult;
using model::GateStatus;

using judge::evaluate_gate;
using judge::filter_results;
using render::to_junit;
using render::to_text;

}  // namespace assay
