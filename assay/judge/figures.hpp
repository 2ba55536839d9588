#pragma once

#include <string>

namespace assay::judge {

// Figures as notes write them.

/// To about three digits, without zeros at the end: "0.31", "12.4", "1200".
std::string digits(double value);

/// The size of a share in per cent, whatever its sign: -0.052 gives "5.2 %".
std::string per_cent(double share);

/// A change by a share with its sign: "+4.9 %", "−0.3 %", "0 %"; "×2.1" from twice on.
std::string signed_change(double share);

}  // namespace assay::judge
