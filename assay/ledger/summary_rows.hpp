#pragma once

#include <soci/soci.h>

#include <vector>

#include "assay/ledger/summary.hpp"

namespace assay::inline v1::ledger {

/// All campaigns, newest first. A part of the caller's transaction; included by this module's own sources
/// only. Throws codec::Damaged.
std::vector<Summary> read_summaries(soci::session& sql);

}  // namespace assay::inline v1::ledger
