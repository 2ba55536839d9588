#pragma once

#include <memory>

#include "assay/ledger/dialect.hpp"

namespace assay::inline v1::ledger {

std::unique_ptr<Dialect> sqlite_dialect();

}  // namespace assay::inline v1::ledger
