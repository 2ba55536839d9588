#pragma once

#include <string>

#include "assay/model/campaign.hpp"

namespace assay::render {

// What stands below the blocks of a text, each a line or several, or nothing.

/// What no change at all looked like: the effects of each twin.
std::string twin_lines(const Findings& all);

/// That this machine tells a program from its own copy, to be said before all else; empty when it does not.
std::string bad_twin_text(const Findings& all);

/// How cost grows over sizes, and where a candidate's crosses its baseline's; how throughput scales over
/// threads.
std::string trend_lines(const Findings& all);

/// Requirements: met, broken and undecided, with the margin to spare.
std::string requirement_lines(const Findings& all);

/// Where first calls differ from steady ones: what they cost, and from how many calls on a candidate with a
/// dearer first call pays.
std::string first_call_lines(const Findings& all);

/// What measuring again made of each finding, a line each.
std::string confirmation_lines(const Findings& all);

/// Overall changes, the best first; turns along factors; groups that can't be told apart; failure rates;
/// changes of spread. Of each kind so many lines at most.
std::string together_lines(const Findings& findings, std::size_t most);

}  // namespace assay::render
