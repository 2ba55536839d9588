#pragma once

/// A campaign as rows, but for its rounds and trials. Included by this module's own sources only. Each call
/// is a part of the caller's transaction.
/// Rounds, trials and looks as rows. Included by this module's own sources only. Each call is a part of the
/// caller's transaction.

#include <soci/soci.h>

#include <vector>

#include "assay/ledger/ledger.hpp"
#include "assay/ledger/sql_rows.hpp"
#include "assay/model/log.hpp"

namespace assay::ledger {

/// Lays down everything in `record` but rounds, trials and looks, and returns the campaign's number. `token`
/// names the process that measures it; empty: none does.
CampaignId put_campaign(soci::session& sql, const Record& record, const std::string& token);

/// A session as the campaign's next.
void put_session(soci::session& sql, CampaignId campaign, SessionId id, const Session& session,
                 const std::string& token);

/// All sessions of a campaign, with their facts. Throws codec::CorruptData.
IdTable<SessionId, Session> read_sessions(soci::session& sql, CampaignId campaign);

/// What a workload's check leaves open.
void put_check_warning(soci::session& sql, CampaignId campaign, const CheckWarning& doubt);

/// Everything but rounds, trials and looks. Throws codec::CorruptData.
Record read_campaign(soci::session& sql, CampaignId campaign);

/// Campaigns c for which a condition holds, in SQL, with texts in the places of :a and :b; newest first, `most` of them, 0:
/// all. Throws codec::CorruptData.
std::vector<CampaignSummary> read_summaries(soci::session& sql, const std::string& condition,
                                            const std::vector<std::string>& texts, std::size_t most);

/// The statements that store trials, prepared once.
class TrialRows {
 public:
  explicit TrialRows(soci::session& sql);
  /// Throws DomainError for a reading or point that is no finite number; nothing is stored then.
  void put(CampaignId campaign, const Trial& trial);
  /// Stores what put() kept back. To be called before the end of the transaction.
  void flush();

 private:
  bool packs_readings_;
  Insert trial_;
  InsertMany readings_, points_;
  std::vector<Value> values_;  ///< of a trial; kept for its room
};

/// The statement that stores rounds, prepared once.
class RoundRows {
 public:
  explicit RoundRows(soci::session& sql);
  /// `claimed`: when, in milliseconds since 1970 by the ledger's clock; 0: nobody knows.
  void put(CampaignId campaign, const Round& round, std::int64_t claimed = 0);

 private:
  Insert round_;
};

void put_way_choice(soci::session& sql, CampaignId campaign, const WayChoice& choice);

void put_look(soci::session& sql, CampaignId campaign, const InterimLook& look);

void put_code_samples(soci::session& sql, CampaignId campaign, const CodeSampleLog& samples);
void read_code_samples(soci::session& sql, CampaignId campaign, CodeSampleLog& samples);

/// Rounds from a number on, in their order. Throws codec::CorruptData.
std::vector<Round> read_rounds(soci::session& sql, CampaignId campaign, int from);
/// The trials t of a campaign for which a condition holds as well, in SQL that begins with AND, in the order in which they
/// were stored. Throws codec::CorruptData.
std::vector<Trial> read_trials(soci::session& sql, CampaignId campaign, const std::string& condition);
std::vector<WayChoice> read_way_choices(soci::session& sql, CampaignId campaign);

/// All of a campaign's. Throws codec::CorruptData.
void read_rounds_and_trials(soci::session& sql, CampaignId campaign, Log& log);

}  // namespace assay::ledger
