#pragma once

#include <span>
#include <vector>

#include "assay/model/observations.hpp"
#include "assay/model/results.hpp"
#include "assay/stats/log_histogram.hpp"

namespace assay::judge {

/// The requests of one side in one round: latencies of right replies, and how many failed, which count as
/// slower than all.
struct RoundLatencies {
  stats::LogHistogram latencies;
  std::uint64_t failed = 0;
};

/// How a quantile at p of all requests together changes between two sides with the same rounds, with an
/// interval of 95 %: rounds are drawn with replacement, both sides together, 400 times; the interval is
/// Student's t of one degree of freedom less than there are rounds times the standard deviation of the
/// logarithms. Empty below eight rounds, and where one side has fewer than ten requests beyond the quantile.
/// `of` is left at zero. Reproducible. Cost: 400 sums of the rounds' buckets.
///
/// Source: bootstrap of clusters, Cameron, Gelbach & Miller 2008; Efron & Tibshirani 1993.
std::optional<PooledLatency> pooled_latency(std::span<const RoundLatencies> baseline,
                                            std::span<const RoundLatencies> candidate, double p);

/// Of services: the quantiles at 50, 90, 99 and 99.9 % of each comparison, beside those of a typical round,
/// which findings are on. Without twins; of at most 24 comparisons.
std::vector<PooledLatency> pooled_latencies(const Observations& evidence);

/// Takes declared ceilings into account, on each finding whose metric has one. Where both typical values are
/// within 1 % of it, the verdict is taken back: differences can't show there. Where one is, the finding gets
/// a note: its change may be larger. Values more than 1 % beyond a ceiling are a warning, once for the
/// metric.
void apply_saturation(const Observations& evidence, Findings& findings);

}  // namespace assay::judge
