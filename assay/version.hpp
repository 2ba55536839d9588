#pragma once

/// Which Assay this is. Within one minor version, programs need not be changed.

namespace assay {

inline constexpr char version[] = "0.1.0";

}  // namespace assay
