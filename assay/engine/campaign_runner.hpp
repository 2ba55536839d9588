#pragma once

#include <optional>
#include <stop_token>
#include <string>

#include "assay/engine/observer.hpp"
#include "assay/engine/recorder.hpp"
#include "assay/engine/round_loop.hpp"
#include "assay/engine/stop_policy.hpp"
#include "assay/engine/trial_runner.hpp"
#include "assay/model/observations.hpp"
#include "assay/model/results.hpp"

namespace assay::engine {

/// Runs a campaign, the same for programs, functions and services: check the
/// work, forecast, measure in rounds, check the work again, judge.
///
/// REQUIRES: what it is given outlives it.
class CampaignRunner {
 public:
  CampaignRunner(Recorder& recorder, TrialRunner& runner, Observer& observer, std::stop_token stop,
                 Clock clock = steady_clock())
      : recorder_(recorder),
        runner_(runner),
        observer_(observer),
        stop_(std::move(stop)),
        clock_(std::move(clock)) {}

  /// All of it. `forecasts`: tells the observer what can be expected, after the checks and after three judged
  /// rounds; a budget that can't decide anything is reported in any case, before it is spent.
  Findings run(const StopPolicy& policy, bool forecasts);

  /// No round is begun that would not likely end within so many seconds of measuring; 0: no limit.
  void set_time(double seconds) { seconds_ = seconds; }
  /// Why run() came to its end.
  StopReason stop_reason() const { return ended_; }

  // --- the steps, for those who want only some ---------------------------------------------------------

  /// Checks every ok cell, each baseline before what is compared with it; those that are wrong, fail or
  /// are unsupported are recorded so, for reasons that begin with `when`. Throws Cancelled.
  void check(const std::string& when = {});
  /// Records what the checks leave open, and says it.
  void report_check_warnings();
  /// What can be expected, from `pilots`.
  Forecast forecast(Observations::Source pilots, const StopPolicy& policy) const;
  StopReason measure(const StopPolicy& policy, bool forecasts);

 private:
  void apply_check(Trial trial, const std::string& when);
  void require_same_answer(const Trial& trial) const;
  void leave();

  Recorder& recorder_;
  TrialRunner& runner_;
  Observer& observer_;
  std::stop_token stop_;
  Clock clock_;
  double seconds_ = 0;
  StopReason ended_ = StopReason::stopped;
};

}  // namespace assay::engine
