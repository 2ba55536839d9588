#pragma once

#include <soci/soci.h>

#include <vector>

#include "assay/ledger/summary.hpp"

namespace assay::ledger {

/// All campaigns, newest first. A part of the caller's transaction; included by this module's own sources
/// only. Throws codec::CorruptData.
std::vector<CampaignSummary> read_summaries(soci::session& sql);

}  // namespace assay::ledger
