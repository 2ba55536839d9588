#pragma once

#include <memory>
#include <optional>
#include <string>

#include "assay/engine/campaign_runner.hpp"
#include "assay/engine/recorder.hpp"
#include "assay/measure/machine.hpp"
#include "assay/model/log.hpp"
#include "assay/relink/layout_set.hpp"
#include "assay/runners/capabilities.hpp"
#include "assay/runners/client_runner.hpp"
#include "assay/runners/program_runner.hpp"
#include "assay/runners/server_runner.hpp"
#include "assay/setup/run_plan.hpp"

namespace assay::setup {

/// A plan that is ready to run, with its trial runner. While it lives the machine's lock is its own,
/// unless the caller has it (PlanOptions::machine_lock_held).
///
/// REQUIRES: what `run` points to outlives it.
class PreparedCampaign {
 public:
  /// Everything up to the first trial. Throws Cancelled, and Error as run_plan() does.
  PreparedCampaign(const Plan& given, const RunOptions& run, const PlanOptions& options);
  PreparedCampaign(const PreparedCampaign&) = delete;
  PreparedCampaign& operator=(const PreparedCampaign&) = delete;

  bool has_ended() const { return recorder_->log().state == CampaignState::ended; }
  const Record& record() const { return recorder_->record(); }
  const Plan& plan() const { return plan_; }
  // Not of one that has ended.
  engine::CampaignRunner& life() { return *life_; }
  engine::Recorder& recorder() { return *recorder_; }
  engine::TrialRunner& runner() { return *runner_; }
  engine::Observer& observer() { return observer_; }

 private:
  Plan plan_;
  engine::Observer nobody_;
  engine::Observer& observer_;
  measure::Launcher launcher_;
  runners::Capabilities offer_;
  measure::MachineLock machine_lock_;
  std::unique_ptr<relink::LayoutSet> layouts_;
  std::optional<engine::Recorder> recorder_;
  std::optional<runners::ProgramRunner> programs_;
  std::optional<runners::ServerRunner> services_;
  std::optional<runners::ClientRunner> clients_;
  std::optional<runners::DispatchRunner> runner_;
  std::optional<engine::CampaignRunner> life_;
};

/// A campaign whose rounds are run one at a time, when its caller wants one; several may be open at once,
/// taking turns. It is kept in the ledger like any other, and has ended when this object does.
///
/// REQUIRES: what `run` points to outlives it. Not to be used by several threads.
class StepwiseCampaign {
 public:
  /// Builds, prepares and checks, as run_plan() does, whose errors it throws. Throws Cancelled on a stop
  /// request.
  StepwiseCampaign(const Plan& plan, const RunOptions& run, const PlanOptions& options);
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
