#pragma once

#include <chrono>
#include <cstdint>

#include "assay/model/visible.hpp"

namespace assay::model {

/// Milliseconds since 1970, as campaigns and sessions are dated.
inline std::int64_t unix_milliseconds() {
  using namespace std::chrono;
  return duration_cast<milliseconds>(system_clock::now().time_since_epoch()).count();
}

}  // namespace assay::model
