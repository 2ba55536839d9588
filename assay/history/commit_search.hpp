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
#include "assay/history/commit_posterior.hpp"
#include "assay/model/history.hpp"
#include "assay/setup/stepwise_campaign.hpp"

namespace assay::history {

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

  /// Measures until a run is as sure as that, nothing can be learned any more, or `until` (by steady_clock()) is
  /// over. Throws Cancelled, and Error when the first commit no longer does its work.
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
