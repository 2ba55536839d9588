#pragma once

namespace assay::stats {

/// Two ends of a closed range; either may be infinite.
struct Bounds {
  double low = 0, high = 0;
};

}  // namespace assay::stats
