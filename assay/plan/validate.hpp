#pragma once

#include <map>
#include <string>

#include "assay/model/plan.hpp"

namespace assay::plan {

/// Where in a file each part of a plan stands: from a path like `plan.baseline` or `candidate[1].name`
/// (counted from 0) to `file:line:column`.
using Places = std::map<std::string, std::string>;

/// Throws Error, at its place, for what can't be carried out: a duel of one, an unknown baseline, names given
/// twice or empty, a factor without levels, unknown or reserved placeholders, an unknown metric, rounds too
/// few to decide, an expression that RE2 can't read. Without `places` the path itself is named.
void validate(const Plan& plan, const Places& places = {});

}  // namespace assay::plan
