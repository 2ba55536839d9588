#pragma once

#include <memory>
#include <string>

#include "assay/ledger/connection.hpp"
#include "assay/ledger/ledger.hpp"
#include "assay/ledger/rows.hpp"

namespace assay::ledger {

/// The connection behind a Ledger, with the statements that it keeps.
struct Ledger::State : Connection {
  using Connection::Connection;

  /// The statements that store trials, made with the first one.
  TrialRows& trials() {
    if (!trials_ || of_generation_ != generation()) trials_ = std::make_unique<TrialRows>(sql());
    of_generation_ = generation();
    return *trials_;
  }
  void drop_trials() { trials_.reset(); }

 private:
  std::unique_ptr<TrialRows> trials_;
  int of_generation_ = 0;
};

/// Throws Error(in_use) when a process measures the campaign now; `boot`: this machine's.
void refuse_measured(soci::session& sql, CampaignId campaign, const std::string& boot);

/// What Ledger::compact() kept of a campaign; empty where it has its trials.
std::string compacted_row(soci::session& sql, CampaignId campaign);

}  // namespace assay::ledger
