#pragma once

#include <memory>
#include <optional>
#include <string>

#include "assay/campaign/carry_out.hpp"
#include "assay/campaign/clients.hpp"
#include "assay/campaign/layouts.hpp"
#include "assay/campaign/life.hpp"
#include "assay/campaign/mixed.hpp"
#include "assay/campaign/offer.hpp"
#include "assay/campaign/processes.hpp"
#include "assay/campaign/recorder.hpp"
#include "assay/campaign/services.hpp"
#include "assay/measure/turnstile.hpp"

namespace assay::campaign {

/// A plan that has been laid down, with what runs its programs. While it lives the machine's turn is its own,
/// unless the caller has it (RunOptions::machine_lock_held).
///
/// REQUIRES: what `options` point to outlives it.
class PreparedCampaign {
 public:
  /// Everything up to the first trial; `ledger` in place of that of the options. Throws Stopped, and Error as
  /// run_plan() does.
  PreparedCampaign(const Plan& given, const RunOptions& options, const std::string& ledger);
  PreparedCampaign(const PreparedCampaign&) = delete;
  PreparedCampaign& operator=(const PreparedCampaign&) = delete;

  bool has_ended() const { return recorder_->log().state == CampaignState::ended; }
  const Record& record() const { return recorder_->record(); }
  const Plan& plan() const { return plan_; }
  // Not of one that has ended.
  CampaignRunner& life() { return *life_; }
  Recorder& recorder() { return *recorder_; }
  TrialRunner& rig() { return *rig_; }
  Observer& observer() { return observer_; }

 private:
  Plan plan_;
  Observer nobody_;
  Observer& observer_;
  measure::Launcher launcher_;
  Capabilities offer_;
  measure::MachineLock turnstile_;
  std::unique_ptr<LayoutSet> layouts_;
  std::optional<Recorder> recorder_;
  std::optional<ProgramRunner> programs_;
  std::optional<ServerRunner> services_;
  std::optional<ClientRunner> clients_;
  std::optional<DispatchRunner> rig_;
  std::optional<CampaignRunner> life_;
};

}  // namespace assay::campaign
