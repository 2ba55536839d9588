#pragma once

/// Tells what this machine is like to measure on.
///
///   std::cout << assay::to_text(assay::look_around(true));

#include "assay/campaign/look_around.hpp"
#include "assay/render/conditions.hpp"

namespace assay::inline v1 {

using campaign::look_around;
using render::advice;
using render::to_json;
using render::to_text;

}  // namespace assay::inline v1
