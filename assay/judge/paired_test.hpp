#pragma once

#include <cstddef>
#include <cstdint>
#include <optional>
#include <span>
#include <variant>
#include <vector>

#include "assay/judge/judge.hpp"
#include "assay/model/design.hpp"
#include "assay/model/finding.hpp"
#include "assay/model/metric.hpp"
#include "assay/stats/clipped_signed_rank.hpp"
#include "assay/stats/hodges_lehmann.hpp"
#include "assay/stats/van_elteren.hpp"

namespace assay::judge {

/// At most this share of the families in which nothing changed has a call of one.
inline constexpr double error_rate = 0.05;

/// How the three statements about a metric share it: of typical runs, of slow runs, of the mean.
inline constexpr double share_of_typical = 0.8, share_of_each_other = 0.1;

/// A verdict is withheld where the rest of the runs says otherwise at the first of these one-sided levels,
/// each of slow runs and the mean; and, while more rounds are to come, where it leans to that at the second.
inline constexpr double withheld_at = 0.025, leaning_at = 0.25;

/// `same` is concluded where slow runs in this share more of the rounds, or fewer, are ruled out, which takes
/// so many rounds at least.
inline constexpr double tolerated_slow_runs = 0.1;
inline constexpr std::size_t rounds_that_show_slow_runs = 28;

/// What pairs say about one effect, on the scale that tests work on: log ratios, or differences. Pairs are in
/// the order of their rounds.
class PairedTest {
 public:
  /// Throws DomainError as judge_paired does. Of rounds with repeats the medians are judged, from
  /// schedule::fewest_medians rounds on.
  PairedTest(std::span<const double> baseline, std::span<const double> candidate,
             const PairedTestOptions& question);

  /// Rounds.
  std::size_t n() const { return a_.size() / static_cast<std::size_t>(per_round_.baseline); }
  /// Of each side in a round, as it was asked.
  const Replication& repeats() const { return repeats_; }
  /// Values of each side in a round, as they are tested.
  const Replication& per_round() const { return per_round_; }
  /// Too few rounds with repeats for their medians to be tested: what is called is a change of at least a
  /// quarter, by two tests that both have to agree.
  bool is_early() const { return per_round_.is_replicated(); }
  bool beyond_margin() const;

  /// The lower count t of the test of no change, and of that of an effect at or beyond the margin. Where the
  /// fast runs are judged, the second is also that of all runs at five times the margin, if that is larger.
  std::uint64_t count_difference() const;
  std::uint64_t count_equivalence() const;

  /// The p-value of Student's t of the rounds' median differences, two-sided: of early estimates, 0 of
  /// others.
  double p_by_means() const;

  /// Whether a change that is called is large enough for how few rounds there are.
  bool is_large_enough() const;

  /// Whether the change of the fast runs is not that of all: the slow ones say the opposite, at a level of 5
  /// %; or the fast runs of one side scatter more than the other's, at 5 %, and the interval of all runs
  /// does not show the change. A program with more noise of its own has quicker runs among its fastest, and
  /// typical ones that are not.
  bool fast_runs_stand_alone() const;

  /// Whether slow runs or the mean say, by a one-sided test each at this level, the opposite of the change
  /// that is estimated.
  bool rest_opposes(double level) const;

  /// Whether the rest of the runs speaks against `same` or leaves it open.
  enum class Rest {
    alike,    ///< slow runs in a tenth more of the rounds, or fewer, are ruled out
    too_few,  ///< they are not, and could not be with so few rounds; nothing points to them
    open,     ///< they are not
    unlike,   ///< slow runs differ, or the mean by more than the margin, at 2.5 % each
  };
  Rest rest() const;

  /// Calls shifts of the rest at a two-sided level each: sets SlowRuns::shown and MeanShift::shown.
  struct Shown {
    int slow = 0, mean = 0;
  };
  Shown shown_of_rest(double level) const;

  /// A finding with everything but p-values and verdict, its interval from this critical count.
  Finding to_finding(std::uint64_t critical_count, double level) const;

  /// `better` or `worse`, by the side the estimate lies on.
  Verdict direction() const;

  /// Whether what to_finding() made of it lies inside the margin: the interval, and that of typical runs
  /// inside five.
  bool is_within_margin(const Finding& described) const;

  /// What estimate_rounds() says with the interval of this critical count.
  RoundsToDecide price(std::uint64_t critical_count) const;

  // For continuations of what was measured, with values as the tests see them, so that lower is better.

  const std::vector<double>& baseline_values() const { return a_; }
  const std::vector<double>& candidate_values() const { return b_; }
  double shift() const { return sign_ * estimate(); }  ///< of the candidate's against the baseline's
  /// What other rounds like its own say.
  PairedTest of_rounds(const std::vector<double>& a, const std::vector<double>& b) const;
  /// Whether it is called changed, or the same, by counts below these.
  bool would_decide(std::uint64_t changed, std::uint64_t same) const;
  /// Whether all shifts with at least this count lie at or below a limit, or all beyond it.
  bool would_call(std::uint64_t critical_count, double limit) const;

 private:
  /// Of one pair a round, or of rounds with repeats.
  class UnclippedTest {
   public:
    UnclippedTest(const std::vector<double>& a, const std::vector<double>& b, const Replication& repeats);
    std::uint64_t total() const;
    std::uint64_t at_or_below(double shift) const;
    std::uint64_t at_or_above(double shift) const;
    double median() const;
    stats::Range interval(std::uint64_t critical_count) const;

   private:
    std::variant<stats::WalshAverages, stats::WithinBlockDifferences> of_;
  };

  bool is_clipped() const { return fast_.has_value(); }
  /// beyond_margin() from two counts, for less than it takes to find the estimate.
  bool lies_beyond_margin() const;
  double estimate() const;
  stats::Range interval(std::uint64_t critical_count) const;
  std::vector<double> median_differences() const;
  stats::Range early_interval(std::uint64_t critical_count) const;
  void collapse();
  void describe_rest(Finding& finding) const;
  const std::optional<SlowRuns>& slow() const;
  const std::optional<MeanShift>& mean() const;
  bool has_rest() const;
  bool fast_runs_scatter_alike() const;

  Scale scale_;
  Direction prefer_;
  Replication repeats_, per_round_;
  bool rest_, single_runs_;
  bool all_runs_;  ///< are judged alike: which are slow is unknown, or no noise
  double asked_margin_, margin_;
  std::vector<double> a_, b_;  ///< the baseline's and the candidate's values, so that lower is better
  double sign_;                ///< −1 where that turned them
  UnclippedTest all_;
  mutable std::optional<stats::ClippedSignedRank>
      fast_;  ///< where it was chosen; it keeps an order between calls
  double baseline_typical_, candidate_typical_;
  mutable std::optional<double> estimate_;  ///< once it was asked for: it takes a hundred counts
  mutable std::optional<SlowRuns> slow_;    ///< likewise
  mutable std::optional<MeanShift> mean_;
  mutable bool rules_out_slow_ = false;  ///< more of them, or fewer, than are tolerated; known with slow_
};

/// Whether the rest of a finding's runs is not like most of them: slow runs differ, or the mean does by more
/// than the margin, at this one-sided level each.
bool rest_is_unlike(const Finding& finding, double level = withheld_at);

/// What it would take to decide an unclear finding whose interval has this half width at n rounds: the
/// interval shrinks with the root of the rounds, until it lies on one side of no change or inside the margin.
/// On the tests' scale. Names no number when it would be above 10000.
RoundsToDecide estimate_rounds(double estimate, double half_width, double margin, std::size_t n);

}  // namespace assay::judge
