#include "assay/ledger/summary.hpp"

#include "assay/model/error.hpp"

namespace assay::ledger {

const CampaignSummary& find_campaign(const std::vector<CampaignSummary>& campaigns, const std::string& text) {
  if (campaigns.empty())
    throw Error("there is no campaign yet", "ledger", "measure something first: assay duel, or assay run",
                Error::Code::ledger_missing);
  if (text == "last") return campaigns.front();
  std::vector<const CampaignSummary*> found;
  for (const auto& campaign : campaigns) {
    if (!campaign.label.empty() && campaign.label == text) return campaign;
    if (campaign.uid.starts_with(text)) found.push_back(&campaign);
  }
  if (found.size() == 1) return *found.front();
  throw Error(found.empty() ? "there is no campaign \"" + text + "\""
                            : "\"" + text + "\" is the beginning of " + std::to_string(found.size()) +
                                  " campaigns' ids",
              "ledger", "assay ledger lists them all; a name, or a beginning that only one has, will do",
              Error::Code::ledger_missing);
}

}  // namespace assay::ledger
