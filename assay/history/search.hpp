#pragma once

#include <cstddef>
#include <deque>
#include <functional>
#include <map>
#include <memory>
#include <optional>
#include <vector>

#include "assay/campaign/rounds.hpp"
#include "assay/campaign/stepwise.hpp"
#include "assay/history/measuring.hpp"
#include "assay/history/suspects.hpp"
#include "assay/model/located.hpp"

namespace assay::inline v1::history {

/// Commits that lie on one line, the good one first: places of a search are places here.
using Line = std::vector<CommitFacts>;

/// A search for the commit of a line that made a change, measured pair by pair beside the first of them.
///
/// REQUIRES: what it is given outlives it.
class Search {
 public:
  /// The effects of a campaign's rounds, above 0 where the later commit has what is looked for.
  using Effects = std::function<std::vector<double>(const Record&)>;

  /// `pair_seconds`: what a pair is expected to take.
  Search(Measuring& measuring, const Line& line, const stats::ChangeModel& model, Effects effects_of,
         double pair_seconds)
      : measuring_(measuring),
        line_(line),
        suspects_(line.size() - 1, model),
        effects_of_(std::move(effects_of)),
        pair_seconds_(pair_seconds) {}

  /// A pair that was measured elsewhere.
  void add(std::size_t place, double effect) { suspects_.add(place, effect); }

  /// These places did not do it after all.
  void acquit(const Suspects::Run& run) { suspects_.acquit(run); }

  /// Measures until a run is as sure as that, nothing can be told any more, or `until` (by steady_clock()) is
  /// over. Throws Stopped, and Error when the first commit no longer does its work.
  Suspects::Run run(double sure, std::optional<double> until);

  std::size_t pairs() const { return pairs_; }    ///< measured here
  std::size_t builds() const { return builds_; }  ///< commits that were tried
  const std::vector<SilentCommit>& silent() const { return silent_; }

 private:
  campaign::Stepwise& open(std::size_t place);
  void measure(std::size_t place);
  void silence(std::size_t place, const std::string& why);
  std::vector<Suspects::Cost> costs() const;
  void tell(const CommitFacts& now);

  Measuring& measuring_;
  const Line& line_;
  Suspects suspects_;
  Effects effects_of_;
  double pair_seconds_;
  campaign::Clock clock_ = campaign::steady_clock();
  std::map<std::size_t, std::unique_ptr<campaign::Stepwise>> open_;
  std::deque<std::size_t> order_;  ///< in which they were opened
  double opening_seconds_ = 0;
  std::size_t pairs_ = 0, builds_ = 0;
  std::vector<SilentCommit> silent_;
};

}  // namespace assay::inline v1::history
