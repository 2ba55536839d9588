#pragma once

/// Tells what this machine is like to measure on.
///
///   std::cout << assay::to_text(assay::assess_machine(true));

#include "assay/campaign/look_around.hpp"
#include "assay/render/conditions.hpp"

namespace assay {

using model::Conditions;

using campaign::assess_machine;
using render::advice;
using render::to_json;
using render::to_text;

}  // namespace assay
