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

namespace assay::inline v1::campaign {

/// A plan that has been laid down, with what runs its programs. While it lives the machine's turn is its own,
/// unless the caller has it (Options::has_turn).
///
/// REQUIRES: what `options` point to outlives it.
class Prepared {
 public:
  /// Everything up to the first trial; `ledger` in place of that of the options. Throws Stopped, and Error as
  /// carry_out() does.
  Prepared(const Plan& given, const Options& options, const std::string& ledger);
  Prepared(const Prepared&) = delete;
  Prepared& operator=(const Prepared&) = delete;

  bool has_ended() const { return recorder_->log().state == CampaignState::ended; }
  const Record& record() const { return recorder_->record(); }
  const Plan& plan() const { return plan_; }
  // Not of one that has ended.
  Life& life() { return *life_; }
  Recorder& recorder() { return *recorder_; }
  Rig& rig() { return *rig_; }
  Observer& observer() { return observer_; }

 private:
  Plan plan_;
  Observer nobody_;
  Observer& observer_;
  measure::Launcher launcher_;
  Offer offer_;
  measure::Turnstile turnstile_;
  std::unique_ptr<Layouts> layouts_;
  std::optional<Recorder> recorder_;
  std::optional<Processes> programs_;
  std::optional<Services> services_;
  std::optional<Clients> clients_;
  std::optional<Mixed> rig_;
  std::optional<Life> life_;
};

}  // namespace assay::inline v1::campaign
