#pragma once

#include <memory>
#include <optional>
#include <string>

#include "assay/model/log.hpp"
#include "assay/setup/run_plan.hpp"

namespace assay::setup {

/// A campaign whose rounds are run one at a time, when its caller wants one; several may be open at once,
/// taking turns. It is kept in the ledger like any other, and has ended when this object does.
///
/// REQUIRES: what `options` point to outlives it. Not to be used by several threads.
class StepwiseCampaign {
 public:
  /// Builds, prepares and checks, as run_plan() does, whose errors it throws. Throws Cancelled on a stop
  /// request.
  StepwiseCampaign(const Plan& plan, const RunOptions& options);
  ~StepwiseCampaign();
  StepwiseCampaign(const StepwiseCampaign&) = delete;
  StepwiseCampaign& operator=(const StepwiseCampaign&) = delete;

  /// Why there is nothing left to measure, in words: a build, a check or a trial came to nothing. Empty:
  /// there is.
  std::string blocking_reason() const;

  /// Runs one judged round, after a warm-up where there was none yet; every cell once. Returns false when
  /// nothing is left to measure. Throws Cancelled on a stop request.
  bool run_round();

  const Record& record() const;

 private:
  struct State;
  std::unique_ptr<State> state_;
};

}  // namespace assay::setup
