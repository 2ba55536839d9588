#pragma once

/// Texts in columns, for a program's own tables.

#include "assay/report/cells.hpp"

namespace assay::inline v1::program {

using report::cells_of;
using report::left;
using report::right;

}  // namespace assay::inline v1::program
