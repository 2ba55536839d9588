#pragma once

#include <string>
#include <vector>

#include "assay/front/asking.hpp"
#include "assay/model/campaign.hpp"
#include "assay/model/plan.hpp"

namespace assay::cli {

/// How a comparison is asked for on the command line.
struct Comparing {
  std::string kind, ledger, repeat;
  std::string when_busy = "wait";  ///< or "go-on"
  bool json = false;
};

/// Carries out the plan with progress and stopping, shows the findings, and returns the exit status.
int compare(const Plan& plan, const Comparing& how);

using front::parse_budget;
using front::parse_rounds;
using front::show;
using front::typed;

}  // namespace assay::cli
