#pragma once

/// Tells what this machine is like to measure on.
///
///   std::cout << assay::to_text(assay::assess_machine(true));

#include "assay/render/documents.hpp"
#include "assay/setup/machine_conditions.hpp"

namespace assay {

using model::Conditions;

using render::advice;
using render::to_json;
using render::to_text;
using setup::assess_machine;

}  // namespace assay
