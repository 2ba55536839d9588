#pragma once

namespace assay::inline v1::judge {

/// At most this share of the families in which nothing changed has a call of one.
inline constexpr double error_rate = 0.05;

}  // namespace assay::inline v1::judge
