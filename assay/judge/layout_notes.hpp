#pragma once

#include <optional>
#include <vector>

#include "assay/model/evidence.hpp"
#include "assay/model/findings.hpp"

namespace assay::judge {

/// How far layout moves a program's values from build to build.
struct LayoutSpread {
  double sd = 0;          ///< a standard deviation, of logarithms
  bool is_bound = false;  ///< noise could not be taken off: it is at most this
  double by_chance = 0;  ///< 19 of 20 differences between two of its layouts are at most this, noise included
  std::size_t rounds = 0;  ///< it is from
};

/// From rounds with a layout each, in order, the logarithms of a program's values in them, and of its twin's
/// to its own where that ran too (the same file, so that these are noise alone).
///
/// - `sd`: from the mean square of changes from one round to the next, which a slow drift hardly moves
///   (von Neumann et al. 1941), half of it, less that of the twin. Luck often has two values, so no median
///   is taken.
/// - `by_chance`: of the differences between rounds up to three apart, the one that 95 % of them do not
///   exceed, rounded up: what two builds that differ in nothing but layout may show.
///
/// Empty below seven rounds; a bound below five of a twin.
std::optional<LayoutSpread> layout_spread(const std::vector<double>& logs,
                                          const std::vector<double>& twin_logs);

/// What is to be said of layouts: of campaigns that link anew, how far layout moves each comparison, whether
/// a change is within what one build of each would show by chance, and whose layouts could not be varied; of
/// others, once, that a change below 5 % between two builds may be nothing but layout.
std::vector<Note> layout_notes(const Observations& evidence, const Findings& findings);

}  // namespace assay::judge
