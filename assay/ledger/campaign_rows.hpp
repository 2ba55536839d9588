#pragma once

/// A campaign as rows, but for its rounds and trials. Included by this module's own sources only. Each call
/// is a part of the caller's transaction.

#include <soci/soci.h>

#include <vector>

#include "assay/ledger/summary.hpp"
#include "assay/model/log.hpp"

namespace assay::ledger {

/// Lays down everything in `record` but rounds, trials and looks, and returns the campaign's number. `token`
/// names the process that measures it; empty: nobody does.
CampaignId put_campaign(soci::session& sql, const Record& record, const std::string& token);

/// A session as the campaign's next.
void put_session(soci::session& sql, CampaignId campaign, SessionId id, const Session& session,
                 const std::string& token);

/// What a workload's check leaves open.
void put_check_warning(soci::session& sql, CampaignId campaign, const CheckWarning& doubt);

/// Everything but rounds, trials and looks. Throws codec::CorruptData.
Record read_campaign(soci::session& sql, CampaignId campaign);

/// All campaigns, newest first. A part of the caller's transaction; included by this module's own sources
/// only. Throws codec::CorruptData.
std::vector<CampaignSummary> read_summaries(soci::session& sql);

}  // namespace assay::ledger
