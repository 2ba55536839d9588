#pragma once

#include <map>
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "assay/ledger/ledger.hpp"
#include "assay/model/campaign.hpp"

namespace assay::campaign {

/// Lays down what happens in a campaign: in memory, and in a ledger when there is one, where each call is on
/// disk when it returns. Every call throws Error when the ledger can't take it; memory is then unchanged.
class Recorder {
 public:
  /// `record` is everything that is known beforehand. An empty `ledger` keeps the campaign in memory only.
  Recorder(Record record, const std::string& ledger);

  /// Goes on with a campaign that `ledger` keeps and that has not ended, in a sitting of its own: `record` is
  /// what was read of it, with the sitting at its end. Rounds that were cut off are torn.
  Recorder(Record record, ledger::Ledger ledger, CampaignId id);

  const Record& record() const { return record_; }

  void add_round(const Round& round);
  void end_round(RoundState state);  ///< of the round added last
  void add_trial(Trial trial);
  void set_standing(CellId cell, Standing standing, const std::string& detail);
  void set_doubt(WorkloadId workload, const std::string& doubt);
  /// That planned looks were taken at a finding, with what was decided; nothing when that is known already.
  void add_look(const Finding& finding);
  void set_state(CampaignState state);

 private:
  Record record_;
  std::optional<ledger::Ledger> ledger_;
  CampaignId id_;
  std::map<std::pair<Contrast, MetricId>, int> looks_;  ///< taken so far
};

}  // namespace assay::campaign
