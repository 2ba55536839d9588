#pragma once

#include <cstdint>
#include <string>

#include "assay/model/log.hpp"

namespace assay::inline v1::campaign {

/// A seed that nobody chose. Below 2^62, so that every format can carry it as a plain number.
std::uint64_t draw_seed();

/// 16 hexadecimal digits that no other campaign has.
std::string draw_uid();

/// This machine and boot, with its facts.
Sitting sitting_here();

}  // namespace assay::inline v1::campaign
