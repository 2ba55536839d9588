#pragma once

#include <cstdint>
#include <span>
#include <vector>

#include "assay/model/design.hpp"

namespace assay::schedule {

/// The order in which round `number` runs the cells that are open in it: uniform over all orders, and a pure
/// function of its arguments, so that a resumed campaign goes on as it would have.
std::vector<CellId> order_of_round(std::uint64_t seed, int number, std::span<const CellId> open);

/// Whether programs that are run `way` are run in turns in round `number`, as a control: abreast and in
/// slices in rounds 4, 7 and 10, so that there are three when the first seven rounds are judged, then in
/// every fifth. Where the way was chosen by pilots, which were controls, in every tenth.
bool is_control_round(int number, Way way);

/// Whether the twins run in round `number`: in every fourth, from the first that is judged.
bool is_twin_round(int number);

/// How many rounds it takes to have `judged` judged ones, the warm-up and the controls with them.
int rounds_in_all(int judged, Way way);

/// How many trials a round has of each of several cells that are compared with one another, from what a trial
/// of each costs (seconds, above 0) and in how many comparisons it is: one, but of a cell whose trial costs a
/// third of the most expensive one's or less as many as fit into its share of the most expensive trial's
/// time. Such cells share it by the square root of the number of their comparisons, so that a baseline that
/// all are compared with is known better than each of them. So repeats make no round more than one expensive
/// trial longer. Forty are the most: what more would gain is small beside the expensive trial's own noise.
/// Where the most expensive takes less than 50 ms, rounds are short and times uncertain: one each. REQUIRES:
/// the two have one length.
///
/// Source: Dunnett, JASA 50 (1955) 1096: the square root, for several treatments and a control.
std::vector<int> repeats_by_cost(std::span<const double> costs, std::span<const int> comparisons);

}  // namespace assay::schedule
