#pragma once

#include "assay/model/results.hpp"

namespace assay::judge {

/// Two campaigns as one record in which each candidate of `now` is held against the one of that name in
/// `before`, in the cells that both have sound (what is wrong or fails now and was sound before keeps its
/// status), without rounds: nothing of them ran side by side, and judge_unpaired() says so. Metrics are
/// those that `now` watches and both measured. Throws Error when they have no cell in common.
Record combine_campaigns(const Record& before, const Record& now);

}  // namespace assay::judge
