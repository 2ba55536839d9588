#pragma once

#include <cstdint>
#include <span>
#include <vector>

#include "assay/model/ids.hpp"

namespace assay::schedule {

/// The order in which round `number` runs the cells that are open in it: uniform over all orders, and a pure
/// function of its arguments, so that a resumed campaign goes on as it would have.
std::vector<CellId> order_of_round(std::uint64_t seed, int number, std::span<const CellId> open);

}  // namespace assay::schedule
