#pragma once

/// The store that keeps every trial.

#include "assay/ledger/ledger.hpp"

namespace assay {

using model::CampaignId;
using model::Record;

using ledger::Ledger;
using ledger::take_password;

}  // namespace assay
