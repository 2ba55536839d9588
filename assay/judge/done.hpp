#pragma once

#include <optional>
#include <set>
#include <span>

#include "assay/model/evidence.hpp"
#include "assay/model/finding.hpp"

namespace assay::inline v1::judge {

/// What has to be known of a comparison, besides its verdicts, before its cells leave a campaign.
struct Aim {
  std::optional<double> allow;    ///< a gate's: whether the change is within it, or all of it beyond
  std::optional<double> precise;  ///< half-width of each interval, relative, at most
};

/// The contrasts that need no more rounds, from the findings on watched metrics that watched_so_far() gave.
/// Each of these has to be
///
/// - settled; or one of wall or CPU time that the other decides (see link_times()); or unlikely to be settled
/// at all: by none of 20 simulated continuations (see
///   can_settle()), which can't raise the rate of errors; with `precise` nothing is given up;
/// - decided as the aim asks, and requirements on the cells met or broken.
///
/// A twin that is settled as changed needs fresh rounds first: see twins_to_confirm().
std::set<Contrast> contrasts_done(const Evidence& evidence, std::span<const Finding> watched, const Aim& aim);

}  // namespace assay::inline v1::judge
