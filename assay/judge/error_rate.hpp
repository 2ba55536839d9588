#pragma once

#include <cstddef>

namespace assay::judge {

/// At most this share of the families in which nothing changed has a call of one.
inline constexpr double error_rate = 0.05;

/// How the three statements about a metric share it: of typical runs, of slow runs, of the mean.
inline constexpr double share_of_typical = 0.8, share_of_each_other = 0.1;

/// A verdict is withheld where the rest of the runs says otherwise at the first of these one-sided levels,
/// each of slow runs and the mean; and, while more rounds are to come, where it leans to that at the second.
inline constexpr double withheld_at = 0.025, leaning_at = 0.25;

/// `same` is said where slow runs in this share more of the rounds, or fewer, are ruled out, which takes so
/// many rounds at least.
inline constexpr double tolerated_slow_runs = 0.1;
inline constexpr std::size_t rounds_that_show_slow_runs = 28;

}  // namespace assay::judge
