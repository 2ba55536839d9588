#pragma once

#include <memory>
#include <optional>
#include <string>

#include "assay/ledger/connection.hpp"
#include "assay/ledger/ledger.hpp"
#include "assay/ledger/presence.hpp"
#include "assay/ledger/rows.hpp"

namespace assay::ledger {

/// The connection behind a Ledger, with the statements that it keeps.
struct Ledger::State : Connection {
  using Connection::Connection;

  /// The statements that store trials, made with the first one.
  TrialRows& trials() {
    if (!trials_) trials_ = std::make_unique<TrialRows>(sql());
    return *trials_;
  }
  void drop_statements() override { trials_.reset(); }

  /// Shows others of a database that this process is at work in a session.
  void be_present(CampaignId campaign, SessionId session) {
    if (place().is_database()) presence_ = std::make_unique<Presence>(place(), campaign, session);
  }
  void be_gone() { presence_.reset(); }

  /// An open round is not aborted for as long again as was asked for when it was claimed.
  void prolong(CampaignId campaign, int round);
  std::int64_t patience = 0;  ///< milliseconds; 0: nothing was claimed yet

 private:
  std::unique_ptr<Presence> presence_;
  std::unique_ptr<TrialRows> trials_;
};

/// Throws Error(in_use) when a process measures the campaign now; `boot`: this machine's.
void refuse_measured(soci::session& sql, CampaignId campaign, const std::string& boot);

/// Aborts the open rounds of a campaign, or of one of its sessions.
void abort_rounds(soci::session& sql, CampaignId campaign, std::optional<SessionId> of = {});

/// The state of a campaign, which changes for nobody else before the end of the transaction. Throws Error where it is gone.
CampaignState lock_campaign(soci::session& sql, CampaignId campaign);

/// What Ledger::compact() kept of a campaign; empty where it has its trials.
std::string compacted_row(soci::session& sql, CampaignId campaign);

}  // namespace assay::ledger
