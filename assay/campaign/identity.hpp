#pragma once

#include <cstdint>
#include <string>

#include "assay/model/log.hpp"

namespace assay::campaign {

/// A seed that nobody chose. Below 2^62, so that every format can carry it as a plain number.
std::uint64_t make_seed();

/// 16 hexadecimal digits that no other campaign has.
std::string make_uid();

/// This machine and boot, with its facts.
Session current_session();

}  // namespace assay::campaign
