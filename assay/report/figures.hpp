#pragma once

#include <string>

namespace assay::report {

// Figures inside sentences.

/// To about three digits, without zeros at the end: "0.31", "12.4", "1200".
std::string short_number(double value);

/// The size of a share in per cent, whatever its sign: -0.052 gives "5.2 %".
std::string percent(double share);

/// A change by a share with its sign: "+4.9 %", "−0.3 %", "0 %"; "×2.1" from twice on.
std::string percent_change(double share);

/// A number as a plan would write it.
std::string exact_number(double value);

}  // namespace assay::report
