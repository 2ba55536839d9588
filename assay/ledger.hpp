#pragma once

/// The store that keeps every trial.

#include "assay/ledger/ledger.hpp"

namespace assay {

using ledger::Ledger;

}  // namespace assay
