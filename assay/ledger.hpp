#pragma once

/// The store that keeps every trial.

#include "assay/ledger/ledger.hpp"

namespace assay::inline v1 {

using ledger::Ledger;

}  // namespace assay::inline v1
