#pragma once

#include <cstddef>
#include <string>

#include "assay/ledger/connection.hpp"
#include "assay/ledger/ledger.hpp"

namespace assay::ledger {

/// Copies a campaign with all its rows as they are, but for the numbers of the campaign, its machines and its trials, which
/// are given anew. Returns the number of trials; none where the other ledger has a campaign with this uid. All or nothing.
std::optional<std::size_t> copy_campaign(Connection& from, CampaignId campaign, Connection& to);

/// Names the campaign, by uid, that this one measured again, where the ledger has both.
void link_confirmed(Connection& ledger, const std::string& uid, const std::string& confirms_uid);

/// The uid of the campaign that this one measured again; empty: none.
std::string confirmed_by(Connection& ledger, CampaignId campaign);

}  // namespace assay::ledger
