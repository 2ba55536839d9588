#pragma once

#include "assay/model/visible.hpp"

namespace assay::model {

/// Thrown by work that was asked to stop before it was done. The one way in which a stop request is told;
/// what runs trials returns them as interrupted instead.
struct Cancelled {};

}  // namespace assay::model
