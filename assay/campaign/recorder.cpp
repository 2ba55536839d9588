#include "assay/campaign/recorder.hpp"

#include <algorithm>
#include <utility>

#include "assay/model/names.hpp"

namespace assay::inline v1::campaign {

Recorder::Recorder(Record record, const std::string& ledger)
    : record_(std::move(record)), states_(states_of(record_.design, record_.log)) {
  if (ledger.empty()) return;
  ledger_.emplace(ledger);
  id_ = ledger_->begin(record_);
}

Recorder::Recorder(Record record, ledger::Ledger ledger, CampaignId id, Sitting sitting)
    : record_(std::move(record)),
      states_(states_of(record_.design, record_.log)),
      ledger_(std::move(ledger)),
      id_(id) {
  ledger_->add_sitting(id_, sitting);
  record_.log.sittings.add(std::move(sitting));
  for (auto& round : record_.log.rounds) {
    if (round.state != RoundState::open) continue;
    ledger_->set_round_state(id_, round.number, RoundState::torn);
    round.state = RoundState::torn;
  }
  for (const auto& look : record_.log.looks) {
    auto& taken = looks_[{look.of, look.metric}];
    taken = std::max(taken, look.number);
  }
  record_.log.state = CampaignState::open;
}

const Round& Recorder::claim_round(const std::function<RoundPlan(int number)>& plan_of) {
  Round round{.sitting = SittingId{record_.log.sittings.next().value - 1}};
  if (ledger_) {
    round = ledger_->claim_round(id_, round.sitting, plan_of);
  } else {
    round.number = record_.log.rounds.empty() ? 1 : record_.log.rounds.back().number + 1;
    static_cast<RoundPlan&>(round) = plan_of(round.number);
  }
  record_.log.rounds.push_back(std::move(round));
  return record_.log.rounds.back();
}

void Recorder::end_round(RoundState state) {
  if (ledger_) ledger_->set_round_state(id_, record_.log.rounds.back().number, state);
  record_.log.rounds.back().state = state;
}

void Recorder::add_trial(Trial trial) {
  trial.sitting = SittingId{record_.log.sittings.next().value - 1};
  if (ledger_) ledger_->add_trial(id_, trial);
  record_.log.trials.push_back(std::move(trial));
}

void Recorder::set_state_of(CellId cell, const CellState& state) {
  if (ledger_) ledger_->set_standing(id_, cell, state);
  record_.log.standings.push_back({cell, state});
  states_[cell] = state;
}

void Recorder::add_doubt(const Doubt& doubt) {
  if (ledger_) ledger_->set_doubt(id_, doubt);
  record_.log.doubts.push_back(doubt);
}

void Recorder::add_look(const Finding& finding) {
  auto& taken = looks_[{finding.of, finding.metric}];
  if (finding.looks <= taken) return;
  const Look look{.of = finding.of,
                  .metric = finding.metric,
                  .number = finding.looks,
                  .rounds = static_cast<int>(finding.rounds),
                  .p = finding.p,
                  .p_same = finding.p_same,
                  .decision = to_string(finding.verdict)};
  if (ledger_) ledger_->add_look(id_, look);
  record_.log.looks.push_back(look);
  taken = finding.looks;
}

void Recorder::set_state(CampaignState state) {
  if (ledger_) ledger_->set_state(id_, state);
  record_.log.state = state;
}

}  // namespace assay::inline v1::campaign
