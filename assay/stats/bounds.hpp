#pragma once

namespace assay::inline v1::stats {

/// Two ends of a closed range; either may be infinite.
struct Bounds {
  double low = 0, high = 0;
};

}  // namespace assay::inline v1::stats
