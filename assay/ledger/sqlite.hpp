#pragma once

#include <memory>

#include "assay/ledger/dialect.hpp"

namespace assay::ledger {

std::unique_ptr<Dialect> sqlite_dialect();

}  // namespace assay::ledger
