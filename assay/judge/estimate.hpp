#pragma once

#include <cstddef>
#include <cstdint>
#include <optional>
#include <span>
#include <variant>
#include <vector>

#include "assay/judge/paired.hpp"
#include "assay/stats/blocked_ranks.hpp"
#include "assay/stats/clipped.hpp"
#include "assay/stats/walsh.hpp"

namespace assay::inline v1::judge {

/// What pairs say about one effect, on the scale that tests work on: log ratios, or differences. Pairs are in
/// the order of their rounds.
class Estimate {
 public:
  /// Throws DomainError as judge_paired does.
  Estimate(std::span<const double> baseline, std::span<const double> candidate, const Question& question);

  /// Rounds.
  std::size_t n() const { return a_.size() / static_cast<std::size_t>(repeats_.baseline); }
  const Repeats& repeats() const { return repeats_; }
  bool beyond_margin() const;

  /// The lower count t of the test of no change, and of that of an effect at or beyond the margin. Where the
  /// fast runs are judged, the second is also that of all runs at five times the margin, if that is larger.
  std::uint64_t count_of_no_change() const;
  std::uint64_t count_of_same() const;

  /// Whether the slow runs say the opposite of the fast ones, at a level of 5 %.
  bool slow_runs_disagree() const;

  /// What slow runs show beyond the fast ones, see Finding::slow_runs. Cost: some hundred counts.
  int slow_runs() const;

  /// A finding with everything but p-values and verdict, its interval from this critical count.
  Finding describe(std::uint64_t critical_count, double level) const;

  /// `better` or `worse`, by the side the estimate lies on.
  Verdict direction() const;

  /// Whether what describe() made of it lies inside the margin: the interval, and that of typical runs inside
  /// five.
  bool is_within_margin(const Finding& described) const;

  /// What price_of() says with the interval of this critical count.
  Price price(std::uint64_t critical_count) const;

  // For continuations of what was measured, with values as the tests see them, so that lower is better.

  const std::vector<double>& baseline_values() const { return a_; }
  const std::vector<double>& candidate_values() const { return b_; }
  double shift() const { return sign_ * estimate(); }  ///< of the candidate's against the baseline's
  /// Whether rounds like its own would be called changed or the same by counts below this one.
  bool would_settle(const std::vector<double>& a, const std::vector<double>& b,
                    std::uint64_t critical_count) const;

 private:
  /// Of one pair a round, or of rounds with repeats.
  class All {
   public:
    All(const std::vector<double>& a, const std::vector<double>& b, const Repeats& repeats);
    std::uint64_t total() const;
    std::uint64_t at_or_below(double shift) const;
    std::uint64_t at_or_above(double shift) const;
    double median() const;
    stats::Bounds interval(std::uint64_t critical_count) const;

   private:
    std::variant<stats::WalshAverages, stats::WithinRounds> of_;
  };

  bool is_fast() const { return fast_.has_value(); }
  /// beyond_margin() told from two counts, for less than it takes to find the estimate.
  bool lies_beyond_margin() const;
  double estimate() const;
  stats::Bounds interval(std::uint64_t critical_count) const;

  Scale scale_;
  Prefer prefer_;
  Repeats repeats_;
  bool all_runs_;  ///< are judged alike: which are slow ones can't be said, or is no noise
  double asked_margin_, margin_;
  std::vector<double> a_, b_;  ///< the baseline's and the candidate's values, so that lower is better
  double sign_;                ///< −1 where that turned them
  All all_;
  mutable std::optional<stats::ClippedSignedRank>
      fast_;  ///< where it was chosen; it keeps an order between calls
  double baseline_typical_, candidate_typical_;
  mutable std::optional<double> estimate_;  ///< once it was asked for: it takes a hundred counts
};

/// What it would take to settle an unclear finding whose interval has this half width at n rounds: the
/// interval shrinks with the root of the rounds, until it lies on one side of no change or inside the margin.
/// On the tests' scale. Names no number when it would be above 10000.
Price price_of(double estimate, double half_width, double margin, std::size_t n);

}  // namespace assay::inline v1::judge
