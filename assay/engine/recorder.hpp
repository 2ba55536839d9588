#pragma once

#include <functional>
#include <map>
#include <optional>
#include <set>
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
/// Of a campaign that others measure too it also holds what they have done, as far as refresh() has seen it.
class Recorder {
 public:
  /// `record` is everything that is known beforehand. An empty `ledger` keeps the campaign in memory only.
  Recorder(Record record, const std::string& ledger);

  /// Goes on with a campaign that `ledger` keeps and that has not ended, in a session of its own: `record` is
  /// what was read of it, `session` the new one. Rounds that were cut off are aborted.
  Recorder(Record record, ledger::Ledger ledger, CampaignId id, Session session);

  /// Takes part in a campaign beside those who measure it, in session `own`, which the ledger knows (Ledger::join());
  /// `record` is what was read of it since.
  Recorder(Record record, ledger::Ledger ledger, CampaignId id, SessionId own);

  /// Who hears, in words, that a ledger's server is waited for, until a stop is asked for.
  void set_listener(std::function<void(const std::string&)> listener, std::stop_token stop) {
    if (ledger_) ledger_->set_listener(std::move(listener), std::move(stop));
  }

  const Record& record() const { return record_; }
  const Design& design() const { return record_.design; }
  const Log& log() const { return record_.log; }
  const IdTable<CellId, CellStatus>& statuses() const { return states_; }
  SessionId session() const { return session_; }

  /// Claims the next round, which is what `plan_of` makes of its number; empty where that is nothing, or no round is to
  /// be begun any more. What others did is known when `plan_of` is called. A round is given up by others when nothing is
  /// recorded of it for `seconds`.
  std::optional<Round> claim_round(const std::function<std::optional<RoundPlan>(int number)>& plan_of,
                                   double seconds = 0);
  /// Of the round claimed last. False: others took this process for gone, and have aborted it.
  bool end_round(RoundState state);
  void add_trial(Trial trial);
  void set_cell_status(CellId cell, const CellStatus& state);
  void add_check_warning(const CheckWarning& doubt);
  /// That planned looks were taken at a finding, with what was decided; nothing when that is known already.
  void add_look(const Finding& finding);
  void add_way_choice(const WayChoice& choice);
  void set_code_samples(CodeSampleLog samples);
  /// That comparisons need no more rounds.
  void set_decided(const std::set<Comparison>& decided);
  /// Ends this session; the campaign ends with it, or is interrupted unless others measure it. open: it stays as it is.
  void end_session(CampaignState state);

  // --- campaigns that others measure too ---------------------------------------------------------------

  /// Learns what others have done: their rounds that are closed, cells that left, comparisons that are decided. Nothing
  /// without a ledger. Cost: a few queries, and what is new.
  void refresh();
  /// Whether others measure the campaign, or have done so in this process's time.
  bool is_shared() const { return is_shared_; }
  /// Whether others have rounds under way, warm-ups aside.
  bool others_have_open_rounds() const;
  std::size_t others_at_work() const { return others_at_work_; }
  /// Whether the campaign has ended elsewhere, or no more rounds are to be begun.
  bool has_ended_elsewhere() const { return has_ended_elsewhere_; }
  bool is_closing() const { return is_closing_; }
  /// Comparisons that somebody has decided.
  const std::set<Comparison>& decided() const { return decided_; }
  /// Of a campaign that this process joined: seconds of measuring before that.
  std::optional<double> seconds_before() const { return seconds_before_; }
  /// Reads the whole campaign anew, as it lies in the ledger; nothing without one.
  void reread();

 private:
  ledger::KnownCampaign known() const;
  void apply(const ledger::CampaignChanges& changes);
  void count_looks();
  Round* find_round(int number);

  Record record_;
  IdTable<CellId, CellStatus> states_;
  std::optional<ledger::Ledger> ledger_;
  CampaignId id_;
  SessionId session_;
  int own_round_ = 0;                                     ///< claimed last
  std::map<std::pair<Comparison, MetricId>, int> looks_;  ///< taken so far
  std::set<Comparison> decided_;
  std::set<int> taken_over_;  ///< rounds of others whose trials are here
  std::size_t others_at_work_ = 0;
  bool is_shared_ = false, has_ended_elsewhere_ = false, is_closing_ = false;
  std::optional<double> seconds_before_;
};

}  // namespace assay::engine
