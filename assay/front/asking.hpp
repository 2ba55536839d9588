#pragma once

#include <string>
#include <vector>

#include "assay/model/campaign.hpp"
#include "assay/model/plan.hpp"

/// What the tool and contest programs have in common: reading requests, showing findings, exit statuses.
namespace assay::front {

inline constexpr int exit_done = 0;
inline constexpr int exit_request = 2;
inline constexpr int exit_nothing_measured = 3;
inline constexpr int exit_interrupted = 130;

/// Shows findings on stdout as text or JSON.
void show(const Findings& findings, bool json);

/// An argument list as one would type it, quoted for a shell where need be.
std::string typed(const std::vector<std::string>& arguments);

/// Reads `7..60` or `20` into the plan's rounds. Throws Error.
PlannedRounds parse_rounds(const std::string& text);

/// Reads a measuring time. Throws Error that names --budget.
double parse_budget(const std::string& text);

}  // namespace assay::front
