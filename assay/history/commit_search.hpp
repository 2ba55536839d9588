#pragma once

#include <cstddef>
#include <deque>
#include <functional>
#include <map>
#include <memory>
#include <optional>
#include <vector>

#include "assay/engine/round_loop.hpp"
#include "assay/history/commit_comparer.hpp"
#include "assay/model/history.hpp"
#include "assay/setup/prepared_campaign.hpp"
#include "assay/stats/change_posterior.hpp"

namespace assay::history {

/// The commits among which one made a change, as what was measured so far makes them likely. Places count
/// from the good commit, 0, to the bad one, `last`. Pure: no clock, no commits.
class CommitPosterior {
 public:
  /// `last`: how many commits lie after the good one, the bad one with them; from 1 on.
  CommitPosterior(std::size_t last, const stats::ChangeModel& model);

  /// A pair was measured at a place: the effect of its commit against the good one, on the tests' scale,
  /// above 0 where it is worse. Of the last place, pairs tell how much they scatter.
  void add(std::size_t place, double effect);

  /// A commit tells nothing: it does not build, or is wrong. Not for the ends.
  void mark_unmeasurable(std::size_t place);

  struct CommitRange;
  /// The places of a run did not do it: a campaign of its own has shown them to be like their parent.
  void exclude(const CommitRange& run);
  bool is_unmeasurable(std::size_t place) const { return silent_[place]; }

  /// Commits that nothing between them can tell apart: from just after one that can be measured to the next
  /// that can.
  struct CommitRange {
    std::size_t first = 0, end = 0;  ///< places `first` to below `end`
    double probability = 0;
  };
  /// All of them, in order; their probabilities sum to 1.
  std::vector<CommitRange> ranges() const;
  CommitRange likeliest() const;

  /// What measuring a place takes: seconds before its first pair (a build, a check, a warm-up; 0 where that
  /// is done), and for each pair.
  struct Cost {
    double before = 0, pair = 1;
  };

  /// The place whose next pairs tell most per second, and how many of them that was reckoned with; empty
  /// where no place between the ends can tell anything. Cost: a few hundred evaluations of
  /// mutual_information() a place.
  struct NextMeasurement {
    std::size_t place = 0, pairs = 1;
  };
  std::optional<NextMeasurement> next(const std::vector<Cost>& costs) const;

  std::size_t pairs() const { return posterior_.count(); }
  std::size_t last() const { return posterior_.last(); }
  double scale() const { return posterior_.scale(model_.scale); }
  /// The probability that each place is the one; index 0 holds 0.
  std::vector<double> probabilities() const;

 private:
  stats::ChangePosterior posterior_;
  stats::ChangeModel model_;
  std::vector<bool> silent_, acquitted_;
};

/// Commits that lie on one line, the good one first: places of a search are places here.
using Line = std::vector<CommitFacts>;

/// A search for the commit of a line that made a change, measured pair by pair beside the first of them.
///
/// REQUIRES: what it is given outlives it.
class CommitSearch {
 public:
  /// The effects of a campaign's rounds, above 0 where the later commit has what is looked for.
  using Effects = std::function<std::vector<double>(const Record&)>;

  /// `pair_seconds`: what a pair is expected to take.
  CommitSearch(CommitComparer& measuring, const Line& line, const stats::ChangeModel& model,
               Effects effects_of, double pair_seconds)
      : measuring_(measuring),
        line_(line),
        commits_(line.size() - 1, model),
        effects_of_(std::move(effects_of)),
        pair_seconds_(pair_seconds) {}

  /// A pair that was measured elsewhere.
  void add(std::size_t place, double effect) { commits_.add(place, effect); }

  /// These places did not do it after all.
  void exclude(const CommitPosterior::CommitRange& run) { commits_.exclude(run); }

  /// Measures until a run is as sure as that, nothing can be learned any more, or `until` (by steady_clock())
  /// is over. Throws Cancelled, and Error when the first commit no longer does its work.
  CommitPosterior::CommitRange run(double sure, std::optional<double> until);

  std::size_t pairs() const { return pairs_; }    ///< measured here
  std::size_t builds() const { return builds_; }  ///< commits that were tried
  const std::vector<UnmeasurableCommit>& unmeasurable() const { return silent_; }

 private:
  setup::StepwiseCampaign& open(std::size_t place);
  void measure(std::size_t place);
  void mark_unmeasurable(std::size_t place, const std::string& why);
  std::vector<CommitPosterior::Cost> costs() const;
  void report(const CommitFacts& now);

  CommitComparer& measuring_;
  const Line& line_;
  CommitPosterior commits_;
  Effects effects_of_;
  double pair_seconds_;
  engine::Clock clock_ = engine::steady_clock();
  std::map<std::size_t, std::unique_ptr<setup::StepwiseCampaign>> open_;
  std::deque<std::size_t> order_;  ///< in which they were opened
  double opening_seconds_ = 0;
  std::size_t pairs_ = 0, builds_ = 0;
  std::vector<UnmeasurableCommit> silent_;
};

}  // namespace assay::history
