#pragma once

#include <cstddef>
#include <string>
#include <vector>

#include "assay/model/findings.hpp"

namespace assay::inline v1::report {

/// Overall changes, the best first; turns along factors; groups that can't be told apart; failure rates;
/// changes of spread. Of each kind so many lines at most.
std::vector<std::string> together_lines(const Findings& findings, std::size_t most);

}  // namespace assay::inline v1::report
