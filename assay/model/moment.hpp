#pragma once

#include <chrono>
#include <cstdint>

namespace assay::inline v1::inline model {

/// Milliseconds since 1970, as campaigns and sittings are dated.
inline std::int64_t milliseconds_now() {
  using namespace std::chrono;
  return duration_cast<milliseconds>(system_clock::now().time_since_epoch()).count();
}

}  // namespace assay::inline v1::inline model
