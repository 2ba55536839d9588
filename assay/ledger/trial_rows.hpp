#pragma once

#include <soci/soci.h>

#include <vector>

#include "assay/ledger/sql_rows.hpp"
#include "assay/model/log.hpp"

/// Rounds, trials and looks as rows. Included by this module's own sources only. Each call is a part of the
/// caller's transaction.
namespace assay::ledger {

/// The statements that store trials, prepared once.
class TrialRows {
 public:
  explicit TrialRows(soci::session& sql);
  /// Throws DomainError for a reading or point that is no finite number; nothing is stored then.
  void put(CampaignId campaign, const Trial& trial);
  /// Stores what put() kept back. To be called before the end of the transaction.
  void flush();

 private:
  Insert trial_;
  InsertMany readings_, points_;
  std::vector<Value> values_;  ///< of a trial; kept for its room
};

/// The statement that stores rounds, prepared once.
class RoundRows {
 public:
  explicit RoundRows(soci::session& sql);
  void put(CampaignId campaign, const Round& round);

 private:
  Insert round_;
};

void put_look(soci::session& sql, CampaignId campaign, const InterimLook& look);

/// All of a campaign's. Throws codec::CorruptData.
void read_rounds_and_trials(soci::session& sql, CampaignId campaign, Log& log);

}  // namespace assay::ledger
