#pragma once

#include "assay/judge.hpp"
#include "assay/plan.hpp"

namespace assay::cli {

/// Throws Error where a campaign was measured by a program of its own, or read from elsewhere.
void require_repeatable(const Design& design);

/// A ledger may have come with a folder of somebody else's, and what it says would be run: prints the plan's commands on
/// stderr, and throws Error.
[[noreturn]] void refuse_foreign(const Plan& plan);

/// The plan of a campaign, as it is carried out in this folder, with commits as they were then. Throws as plan::read()
/// does.
Plan plan_in(const std::string& folder, const Design& design);

/// Warns on stderr of variables that are passed on and are not set here: their values are not kept.
void warn_of_unset_variables(const Plan& plan);

/// The plan of a campaign that is to be measured again, with commits as they were then. Where another measured it
/// (another user, or one whose ledger came with a folder), what would be run is shown on stderr and Error thrown,
/// unless `trust`. Warns on stderr of variables that are passed on and are not set here. Throws as plan::read()
/// does.
Plan plan_to_repeat(const Design& design, bool trust);

}  // namespace assay::cli
