#pragma once

#include <functional>
#include <string>
#include <vector>

#include "assay/ledger.hpp"
#include "assay/results.hpp"

namespace assay::cli {

/// The ledger of work without a plan: $XDG_STATE_HOME/assay/ledger.db, by default under ~/.local/state.
/// Throws Error when neither that nor HOME is set.
std::string state_ledger();

/// The list of the campaigns that this user has begun, beside that ledger. Throws as state_ledger().
std::string measured_campaigns();

/// The ledger beside a plan: .assay/ledger.db in its folder. Throws Error where that folder came with the repository
/// or belongs to another user.
std::string plan_ledger(const std::string& plan_file);

/// The ledger of a command: the one that `option` names, else ASSAY_LEDGER, else what `fallback` returns, which is asked
/// then only.
std::string ledger_asked(const std::string& option, const std::function<std::string()>& fallback);

/// A campaign in the ledger that holds it.
struct FoundCampaign {
  ledger::Ledger ledger;
  ledger::CampaignSummary campaign;
};

/// Finds the campaign that `text` means (see ledger::find_campaign): in `named_ledger` if given, else in that of
/// ASSAY_LEDGER, else in the ledger beside a plan in this folder and in the one of planless work, where "last" is the
/// newest of both. In a database, where others measure too, "last" is the newest that this user has begun, if any.
/// Throws Error when there is none.
FoundCampaign find_campaign(const std::string& text, const std::string& named_ledger);

/// The findings of a campaign, with what rounds that were sampled since found of them, the newest of each comparison.
Findings findings_with_where(FoundCampaign& found, const Record& record);

/// The ledgers that find_campaign looks through, those that exist.
std::vector<std::string> searched_ledgers(const std::string& named_ledger);

}  // namespace assay::cli
