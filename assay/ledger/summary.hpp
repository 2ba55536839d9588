#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "assay/model/log.hpp"

namespace assay::ledger {

/// A campaign in a list.
struct CampaignSummary {
  CampaignId id;
  CampaignKind kind = CampaignKind::plan;
  std::string uid, title, label, plan_digest, repeat;
  std::string candidates;  ///< their names, with "vs" between
  CampaignState state = CampaignState::open;
  std::int64_t started = 0;  ///< milliseconds since 1970
  int rounds = 0;            ///< whole judged ones
};

/// Which of `campaigns` (newest first) a text means: "last" is the newest; else the label, or a prefix of the
/// uid that only one has. Throws Error that lists what there is.
const CampaignSummary& find_campaign(const std::vector<CampaignSummary>& campaigns, const std::string& text);

}  // namespace assay::ledger
