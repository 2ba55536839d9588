#pragma once

#include <memory>
#include <optional>
#include <string>

#include "assay/engine/campaign_runner.hpp"
#include "assay/engine/recorder.hpp"
#include "assay/measure/machine_lock.hpp"
#include "assay/relink/layout_set.hpp"
#include "assay/runners/capabilities.hpp"
#include "assay/runners/client_runner.hpp"
#include "assay/runners/dispatch_runner.hpp"
#include "assay/runners/program_runner.hpp"
#include "assay/runners/server_runner.hpp"
#include "assay/setup/run_plan.hpp"

namespace assay::setup {

/// A plan that is ready to run, with its trial runner. While it lives the machine's lock is its own,
/// unless the caller has it (RunOptions::machine_lock_held).
///
/// REQUIRES: what `options` point to outlives it.
class PreparedCampaign {
 public:
  /// Everything up to the first trial; `ledger` in place of that of the options. Throws Cancelled, and Error as
  /// run_plan() does.
  PreparedCampaign(const Plan& given, const RunOptions& options, const std::string& ledger);
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

}  // namespace assay::setup
