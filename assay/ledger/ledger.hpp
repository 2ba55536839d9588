#pragma once

#include <cstdint>
#include <memory>
#include <string>
#include <vector>

#include "assay/model/campaign.hpp"

namespace assay::ledger {

/// A campaign in a list.
struct Summary {
  CampaignId id;
  std::string uid, title, kind, label;
  std::string candidates;  ///< their names, with "vs" between
  CampaignState state = CampaignState::open;
  std::int64_t started = 0;  ///< milliseconds since 1970
  int rounds = 0;            ///< whole judged ones
  std::int64_t trials = 0;   ///< without those of builds
};

/// What was decided on one finding at one planned look at the data.
struct Look {
  Contrast of;
  MetricId metric;
  int number = 1;     ///< of the look, from 1
  int rounds = 0;     ///< complete rounds judged
  double p = 1;       ///< over the looks so far, of no change
  double p_same = 1;  ///< of an effect at or beyond the margin
  std::string decision;
};

/// The store that keeps every trial: one SQLite file in WAL mode with synchronous FULL, so that what a call
/// has stored is still there after a kill or a power cut. Several processes may have it open.
///
/// Every call is one transaction. Every call throws Error: when the disk is full, when the file can't be
/// written, when another process keeps it locked for more than ten seconds. What was stored before stays.
/// Not to be called from several threads at once.
class Ledger {
 public:
  /// The schema that this code writes. Older ledgers are brought up to it, newer ones refused.
  static constexpr int version = 4;

  enum class Opening { create, existing };

  /// Opens the ledger at `path`; with Opening::create makes it, and its folder, if it is not there. Throws
  /// Error for a file that is no ledger or comes from a newer version; the file is then left as it was.
  explicit Ledger(const std::string& path, Opening opening = Opening::create);
  ~Ledger();
  Ledger(Ledger&&) noexcept;
  Ledger& operator=(Ledger&&) noexcept;

  const std::string& path() const;

  /// Lays down a new campaign: everything in `record` but rounds and trials.
  CampaignId begin(const Record& record);

  /// Lays down a campaign that is over, with its rounds and trials: all of it or nothing.
  CampaignId add_whole(const Record& record);

  /// Another stretch of work on a campaign, as its next sitting; the campaign is open again.
  void add_sitting(CampaignId campaign, const Sitting& sitting);

  /// Claims a round for this campaign. Throws when its number is taken.
  void add_round(CampaignId campaign, const Round& round);
  void set_round_state(CampaignId campaign, int number, RoundState state);

  /// Stores a trial with its readings. Throws for a second trial of one cell in one round, and for a reading
  /// that is not finite. Cost: one synchronous write, about 0.1 ms on a solid-state disk.
  void add_trial(CampaignId campaign, const Trial& trial);

  void set_standing(CampaignId campaign, CellId cell, Standing standing, const std::string& detail);
  void set_doubt(CampaignId campaign, WorkloadId workload, const std::string& doubt);
  void set_state(CampaignId campaign, CampaignState state);
  void set_label(CampaignId campaign, const std::string& label);
  void add_look(CampaignId campaign, const Look& look);

  /// Newest first.
  std::vector<Summary> list();

  /// Everything a campaign has laid down. Cost: linear in its trials.
  Record read(CampaignId campaign);
  std::vector<Look> looks(CampaignId campaign);

  /// Takes a campaign and its trials out for good, and gives the space back.
  void remove(CampaignId campaign);

 private:
  struct State;
  std::unique_ptr<State> state_;
};

/// Which of `campaigns` (newest first) a text means: "last" is the newest; else the label, or a prefix of the
/// uid that only one has. Throws Error that lists what there is.
const Summary& choose(const std::vector<Summary>& campaigns, const std::string& text);

}  // namespace assay::ledger
