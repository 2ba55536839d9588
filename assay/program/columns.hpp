#pragma once

/// Texts in columns, for a program's own tables.

#include "assay/report/cells.hpp"

namespace assay::program {

using report::display_width;
using report::pad_left;
using report::pad_right;

}  // namespace assay::program
