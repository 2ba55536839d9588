#pragma once

#include <optional>
#include <set>
#include <span>

#include "assay/model/finding.hpp"
#include "assay/model/observations.hpp"

namespace assay::judge {

/// How sure a change must be that is called.
struct CallPromise {
  std::optional<double> level;  ///< its p over all looks is this at most
  std::optional<double> part;   ///< half of its interval is this part of it at most
};

/// What has to be known of a comparison before its cells leave a campaign. Where a gate or a precision is
/// asked for, that is it; else the verdict.
struct StopCriteria {
  std::optional<double> allow;    ///< a gate's: whether the change is within it, or all of it beyond
  std::optional<double> precise;  ///< half-width of each interval, relative, at most
  CallPromise promise;
  /// Judged rounds that there is time for, those there are included; 0: as many as are planned.
  int rounds = 0;
  /// Where runs cost little, what is known after few rounds is measured on until slow runs in a tenth of the
  /// rounds could have shown, if all those rounds of a comparison together take no more than so many
  /// seconds, and the change is not larger than slow runs could be.
  double seconds_for_slow_runs = 0;
};

/// The comparisons that need no more rounds, from the findings on watched metrics that interim_findings()
/// gave. Each of these has to be
///
/// - with a gate: decided by it, at a planned look;
/// - with `precise`: as precise as that;
/// - else: decided, or plainly not alike in all runs, so that there will be no verdict; or one of wall or
///   CPU time that the other decides (see link_cpu_and_wall());
///
/// or unlikely to come to what is asked at all: at this planned look and at the one before, by none of 60
/// simulated continuations (see can_come_to()) up to the rounds that there is time for. That can't raise the
/// rate of errors. With `precise` nothing is given up. Requirements on the cells are met or broken besides.
///
/// A twin that is called changed needs fresh rounds first: see aa_to_confirm().
std::set<Comparison> finished_comparisons(const Observations& evidence, std::span<const Finding> watched,
                                          const StopCriteria& aim);

}  // namespace assay::judge
