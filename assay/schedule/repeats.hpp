#pragma once

#include <span>
#include <vector>

namespace assay::schedule {

/// How many trials a round has of each of several cells that are compared with one another, from what a trial
/// of each costs (seconds, above 0): one, but of a cell whose trial costs a third of the dearest one's or
/// less up to nine, as many as fit into its share of the dearest trial's time, which all such cells share
/// evenly. So repeats make no round more than one dear trial longer. Where the dearest takes less than 50 ms,
/// rounds are short and times uncertain: one each.
std::vector<int> repeats_by_cost(std::span<const double> costs);

}  // namespace assay::schedule
