#pragma once

#include <functional>
#include <map>
#include <optional>
#include <stop_token>
#include <string>
#include <utility>
#include <vector>

#include "assay/ledger/ledger.hpp"
#include "assay/model/finding.hpp"
#include "assay/model/log.hpp"

namespace assay::engine {

/// Writes down what happens in a campaign: in memory, and in a ledger when there is one, where each call is
/// on disk when it returns. Every call throws Error when the ledger can't take it; memory is then unchanged.
class Recorder {
 public:
  /// `record` is everything that is known beforehand. An empty `ledger` keeps the campaign in memory only.
  Recorder(Record record, const std::string& ledger);

  /// Goes on with a campaign that `ledger` keeps and that has not ended, in a session of its own: `record` is
  /// what was read of it, `session` the new one. Rounds that were cut off are aborted.
  Recorder(Record record, ledger::Ledger ledger, CampaignId id, Session session);

  /// Who hears, in words, that a ledger's server is waited for, until a stop is asked for.
  void set_listener(std::function<void(const std::string&)> listener, std::stop_token stop) {
    if (ledger_) ledger_->set_listener(std::move(listener), std::move(stop));
  }

  const Record& record() const { return record_; }
  const Design& design() const { return record_.design; }
  const Log& log() const { return record_.log; }
  const IdTable<CellId, CellStatus>& statuses() const { return states_; }

  /// Claims the next round, which is what `plan_of` makes of its number.
  const Round& claim_round(const std::function<RoundPlan(int number)>& plan_of);
  void end_round(RoundState state);  ///< of the round claimed last
  void add_trial(Trial trial);
  void set_cell_status(CellId cell, const CellStatus& state);
  void add_check_warning(const CheckWarning& doubt);
  /// That planned looks were taken at a finding, with what was decided; nothing when that is known already.
  void add_look(const Finding& finding);
  void add_way_choice(const WayChoice& choice);
  void set_code_samples(CodeSampleLog samples);
  void set_state(CampaignState state);

 private:
  Record record_;
  IdTable<CellId, CellStatus> states_;
  std::optional<ledger::Ledger> ledger_;
  CampaignId id_;
  std::map<std::pair<Comparison, MetricId>, int> looks_;  ///< taken so far
};

}  // namespace assay::engine
