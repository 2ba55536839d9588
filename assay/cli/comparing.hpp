#pragma once

#include <string>
#include <vector>

#include "assay/model/campaign.hpp"
#include "assay/model/plan.hpp"
#include "assay/render/text.hpp"

namespace assay::cli {

/// How a comparison is asked for on the command line.
struct Comparing {
  std::string kind, ledger, repeat;
  std::string when_busy = "wait";  ///< or "go-on"
  bool json = false;
};

/// Carries out the plan with progress and stopping, shows the findings, and returns the exit status.
int compare(const Plan& plan, const Comparing& how);

/// Shows findings on stdout as text or JSON.
void show(const Findings& findings, bool json);

/// An argument list as one would type it, quoted for a shell where need be.
std::string typed(const std::vector<std::string>& arguments);

/// Reads `7..60` or `20` into the plan's rounds. Throws Error.
PlannedRounds parse_rounds(const std::string& text);

/// Reads a measuring time. Throws Error that names --budget.
double parse_budget(const std::string& text);

}  // namespace assay::cli
