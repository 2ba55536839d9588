#pragma once

#include <cstddef>
#include <cstdint>
#include <limits>
#include <span>
#include <vector>

#include "assay/stats/preconditions.hpp"

namespace assay::stats {

/// The clipped signed-rank test of a shift between two series that are paired by round, each pair in an order
/// drawn at random. Noise makes trials slower, hardly ever faster, so slow trials say little: both values of
/// a round are cut off at one common ceiling before they are compared, and rounds in which both lie above it
/// count least.
///
/// At a shift δ let x_r = a_r, y_r = b_r − δ, d_r = y_r − x_r, c the k-th smallest max(x_r, y_r) with k =
/// ⌈n/8⌉
/// (*fast*) or +∞ (*all*, the usual signed-rank test), and g_r = min(y_r, c) − min(x_r, c). Rounds are ranked
/// by
/// (|g_r|, |d_r|) and signed by d_r. Swapping the two values of a round at δ leaves c and the ranks as they
/// are, so the rank sum has the signed-rank distribution under every true δ, whatever the noise; ties only
/// make the test more cautious. Counts fall or rise with δ, so that what is accepted is an interval.
///
/// *Fast* or *all* is chosen from the sums a_r + b_r alone, which no swap changes: *fast* where clipping
/// would make comparisons of each sum with the next sharper.
///
/// *Fast* estimates the shift of the lower part of the distributions, below about the 35 % quantile, *all*
/// that of a typical value. Where one constant shift is all there is, they estimate the same.
///
/// Cost: O(n log n) for the first count, about O(n) for those near it; an estimate or an interval takes some
/// hundred. Not safe to use from several threads at once.
///
/// Source: Wilcoxon 1945; Hodges & Lehmann 1963; bounded influence, Huber 1964; invariance under a group of
/// swaps, Fisher 1935, Hemerik & Goeman 2018. The choice and the ceiling are Assay's own.
class ClippedSignedRank {
 public:
  enum class Use { choose, all, clipped };

  /// `a` and `b` are of one length, finite, on a scale on which shifts add (logarithms for ratios), the lower
  /// the better; in the order of their rounds. Throws DomainError otherwise, and for none.
  ClippedSignedRank(std::span<const double> a, std::span<const double> b, Use use = Use::choose);

  bool is_clipped() const { return ceiling_rank_ < n(); }
  std::size_t n() const { return a_.size(); }
  std::uint64_t total() const { return static_cast<std::uint64_t>(n()) * (n() + 1) / 2; }

  /// How many of the total() pairs of rounds point to a shift at or below δ, and at or above it.
  struct Counts {
    std::uint64_t at_or_below = 0, at_or_above = 0;
  };
  Counts counts(double shift);
  /// The smaller of the two: the test's statistic; see SignedRank::p_two_sided.
  std::uint64_t count(double shift);

  /// The shift with as many pairs above as below.
  double estimate();

  /// All shifts with a count of at least c; the whole line for c = 0. `anchors` are shifts that are tested
  /// besides, 0 among them: the interval never disagrees with those tests.
  Range interval(std::uint64_t c, std::span<const double> anchors);

 private:
  struct Row {
    double g = 0, d = 0;  ///< absolute
    int sign = 0;         ///< of d
    std::size_t round = 0;
    bool before(const Row& other) const { return g < other.g || (g == other.g && d < other.d); }
  };
  bool clipping_helps() const;
  void order();
  double threshold(std::uint64_t j, bool upper, std::span<const double> anchors);

  std::vector<double> a_, b_, top_;
  std::size_t ceiling_rank_;
  std::vector<Row> rows_;
};

/// Whether the slow rounds alone show a change: both values of each round are raised to the floor, the
/// `rank`-th largest min(a_r, b_r − δ); rounds whose values are alike then say nothing and are left out; the
/// usual signed-rank test is made on the rest. Exact at δ, as which rounds are left out is the same for all
/// swaps.
struct SlowRoundTest {
  double p = 1;
  int direction = 0;  ///< of b against a beyond δ: 1 slower, −1 faster, 0 neither
  std::size_t rounds = 0;
};
SlowRoundTest test_slow_rounds(std::span<const double> a, std::span<const double> b, double shift,
                               std::size_t rank);

}  // namespace assay::stats
