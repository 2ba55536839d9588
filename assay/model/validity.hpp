#pragma once

#include <string>

#include "assay/model/log.hpp"

namespace assay::model {

/// What is wrong with a record whose parts came from a file: an id that names nothing, a number out of its
/// range. Empty when everything in it can be relied on. Whoever reads records from outside asks before
/// anything else does. Cost: one pass.
std::string find_inconsistency(const Record& record);

}  // namespace assay::model
