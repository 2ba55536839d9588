#pragma once

#include <optional>
#include <string>

#include "assay/ledger/ledger.hpp"
#include "assay/model/campaign.hpp"

namespace assay::campaign {

/// A campaign in a ledger that a plan belongs to.
struct Unfinished {
  ledger::Ledger ledger;
  CampaignId id;
  Record record;
};

/// The campaign that carrying out `laid` would go on with: the newest of its plan. None when there is no
/// campaign of this plan, ended or not. Throws Error, saying what changed, when the newest of this title is
/// cut off or interrupted but its plan was another; or when programs, commits or the machine are not what
/// they were.
std::optional<Unfinished> find_unfinished(const std::string& ledger, const Record& laid);

}  // namespace assay::campaign
