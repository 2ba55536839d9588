#pragma once

/// Which Assay this is. Within one minor version, programs need not be changed.

namespace assay::inline v1 {

inline constexpr char version[] = "0.1.0";

}  // namespace assay::inline v1
