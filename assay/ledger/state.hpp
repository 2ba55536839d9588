#pragma once

#include <soci/soci.h>

#include <cstdint>
#include <exception>
#include <memory>
#include <string>

#include "assay/ledger/ledger.hpp"
#include "assay/model/error.hpp"

namespace assay::ledger {

inline soci::indicator there(bool has_value) { return has_value ? soci::i_ok : soci::i_null; }

/// The statement that stores a trial, prepared once: its values are these members.
struct TrialRow {
  explicit TrialRow(soci::session& sql);

  std::int64_t campaign = 0, cell = 0, sitting = 0, calls = 1, bytes = 0, id = 0;
  int round = 0, position = 0, heat = 0, exit_status = 0, signal = 0, leftovers = 0;
  soci::indicator has_round = soci::i_null;
  std::string role, outcome, digest, detail;
  soci::statement insert;
};

/// The session behind a Ledger; included by this module's own sources only.
struct Ledger::State {
  std::string path;
  soci::session sql;
  std::unique_ptr<TrialRow> trial_row;  ///< made with the first trial

  [[noreturn]] void fail(const std::exception& error) const;

  // Parts of a transaction.
  CampaignId put_campaign(const Record& record);
  void put_round(CampaignId campaign, const Round& round);
  void put_trial(CampaignId campaign, const Trial& trial);

  /// Runs `work` in one transaction: all of it is stored, or nothing.
  template <class Work>
  auto transact(Work&& work) {
    try {
      soci::transaction all(sql);
      if constexpr (std::is_void_v<decltype(work())>) {
        work();
        all.commit();
      } else {
        auto result = work();
        all.commit();
        return result;
      }
    } catch (const soci::soci_error& error) {
      fail(error);
    }
  }
};

}  // namespace assay::ledger
