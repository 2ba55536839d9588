#pragma once

#include <optional>
#include <stop_token>
#include <string>

#include "assay/campaign/observer.hpp"
#include "assay/campaign/policy.hpp"
#include "assay/campaign/recorder.hpp"
#include "assay/campaign/rig.hpp"
#include "assay/campaign/rounds.hpp"
#include "assay/model/evidence.hpp"
#include "assay/model/findings.hpp"
#include "assay/model/outlook.hpp"

namespace assay::inline v1::campaign {

/// The life of a campaign that has been laid down, the same for programs, functions and services: check the
/// work, forecast, measure in rounds, check the work again, judge.
///
/// REQUIRES: what it is given outlives it.
class Life {
 public:
  Life(Recorder& recorder, Rig& rig, Observer& observer, std::stop_token stop, Clock clock = steady_clock())
      : recorder_(recorder),
        rig_(rig),
        observer_(observer),
        stop_(std::move(stop)),
        clock_(std::move(clock)) {}

  /// All of it. `forecasts`: tells the observer what can be expected, after the checks and after three judged
  /// rounds; a budget that can't decide anything is told in any case, before it is spent.
  Findings live(const Policy& policy, bool forecasts);

  // --- the steps, for those who want only some ---------------------------------------------------------

  /// Checks every sound cell, each baseline before what is compared with it; those that are wrong, fail or
  /// are absent are recorded so, for reasons that begin with `when`. Throws Stopped.
  void check(const std::string& when = {});
  /// Records what the checks leave open, and says it.
  void doubt_checks();
  /// What can be expected, from `pilots`.
  Outlook look_ahead(Evidence::From pilots, const Policy& policy) const;
  Ended measure(const Policy& policy, bool forecasts);

 private:
  void fold_in(Trial trial, const std::string& when);

  Recorder& recorder_;
  Rig& rig_;
  Observer& observer_;
  std::stop_token stop_;
  Clock clock_;
};

}  // namespace assay::inline v1::campaign
