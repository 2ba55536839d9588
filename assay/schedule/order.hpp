#pragma once

#include <cstdint>
#include <span>
#include <vector>

#include "assay/model/design.hpp"

namespace assay::schedule {

/// The order in which round `number` runs the cells that are open in it: uniform over all orders, and a pure
/// function of its arguments, so that a resumed campaign goes on as it would have.
std::vector<CellId> order_of_round(std::uint64_t seed, int number, std::span<const CellId> open);

/// Whether round `number` of a campaign that runs abreast is run in turns instead, as a control: rounds 4, 7
/// and 10, so that there are three when the first seven rounds are judged, then every fifth.
bool is_control_round(int number);

/// Whether the twins run in round `number`: in every fourth, from the first that is judged.
bool is_twin_round(int number);

/// How many rounds it takes to have `judged` judged ones, the warm-up and, abreast, the controls with them.
int rounds_in_all(int judged, bool abreast);

/// How many trials a round has of each of several cells that are compared with one another, from what a trial
/// of each costs (seconds, above 0): one, but of a cell whose trial costs a third of the most expensive one's
/// or less up to nine, as many as fit into its share of the most expensive trial's time, which all such cells
/// share evenly. So repeats make no round more than one expensive trial longer. Where the most expensive
/// takes less than 50 ms, rounds are short and times uncertain: one each.
std::vector<int> repeats_by_cost(std::span<const double> costs);

}  // namespace assay::schedule
