#pragma once

#include <cstddef>
#include <cstdint>
#include <span>
#include <vector>

#include "assay/judge/paired.hpp"
#include "assay/stats/walsh.hpp"

namespace assay::inline v1::judge {

/// What pairs say about one effect, on the scale that tests work on: log ratios, or differences.
class Estimate {
 public:
  /// Throws DomainError as judge_paired does.
  Estimate(std::span<const double> baseline, std::span<const double> candidate, const Question& question);

  std::size_t n() const { return walsh_.n(); }
  bool beyond_margin() const { return estimate_ > margin_ || estimate_ < -margin_; }

  /// The lower count t of the test of no change, and of that of an effect at or beyond the margin.
  std::uint64_t count_of_no_change() const;
  std::uint64_t count_of_same() const;

  /// A finding with everything but p-values and verdict, its interval from this critical count.
  Finding describe(std::uint64_t critical_count, double level) const;

  /// `better` or `worse`, by the side the estimate lies on.
  Verdict direction() const;

 private:
  Scale scale_;
  Prefer prefer_;
  double asked_margin_;
  stats::WalshAverages walsh_;
  double baseline_typical_, candidate_typical_, margin_, estimate_;
};

/// What it would take to settle an unclear finding whose interval has this half width at n rounds: the
/// interval shrinks with the root of the rounds, until it lies on one side of no change or inside the margin.
/// On the tests' scale. Names no number when it would be above 10000.
Price price_of(double estimate, double half_width, double margin, std::size_t n);

}  // namespace assay::inline v1::judge
