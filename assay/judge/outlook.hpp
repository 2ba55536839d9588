#pragma once

#include <optional>

#include "assay/model/campaign.hpp"
#include "assay/model/outlook.hpp"
#include "assay/model/trial.hpp"

namespace assay::judge {

/// What can be expected of a campaign from what it measured so far: times from all trials with a wall time
/// (checks until rounds were run), the spread of effects from trials of `role` (pilot or counted; at least
/// three rounds). The spread is of the log ratios about their median, and of it only the size is used: so
/// nothing is spent of the error rate. `budget`: seconds of measuring, if limited. The first call among all
/// findings of a metric is reckoned with, see schedule::smallest_change.
Outlook look_ahead(const Record& record, Role role, std::optional<double> budget);

}  // namespace assay::judge
