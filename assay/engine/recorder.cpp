#include "assay/engine/recorder.hpp"

#include <algorithm>
#include <utility>

#include "assay/model/enum_names.hpp"

namespace assay::engine {

Recorder::Recorder(Record record, const std::string& ledger)
    : record_(std::move(record)), states_(cell_statuses(record_.design, record_.log)) {
  if (ledger.empty()) return;
  ledger_.emplace(ledger);
  id_ = ledger_->begin(record_);
}

Recorder::Recorder(Record record, ledger::Ledger ledger, CampaignId id, Session session)
    : record_(std::move(record)),
      states_(cell_statuses(record_.design, record_.log)),
      ledger_(std::move(ledger)),
      id_(id) {
  ledger_->add_session(id_, session);
  record_.log.sessions.add(std::move(session));
  for (auto& round : record_.log.rounds) {
    if (round.state != RoundState::open) continue;
    ledger_->set_round_state(id_, round.number, RoundState::aborted);
    round.state = RoundState::aborted;
  }
  for (const auto& look : record_.log.looks) {
    auto& taken = looks_[{look.comparison, look.metric}];
    taken = std::max(taken, look.number);
  }
  record_.log.state = CampaignState::open;
}

const Round& Recorder::claim_round(const std::function<RoundPlan(int number)>& plan_of) {
  Round round{.session = SessionId{record_.log.sessions.next_id().value - 1}};
  if (ledger_) {
    round = ledger_->claim_round(id_, round.session, plan_of);
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
  trial.session = SessionId{record_.log.sessions.next_id().value - 1};
  if (ledger_) ledger_->add_trial(id_, trial);
  record_.log.trials.push_back(std::move(trial));
}

void Recorder::set_cell_status(CellId cell, const CellStatus& state) {
  if (ledger_) ledger_->set_cell_status(id_, cell, state);
  record_.log.status_changes.push_back({cell, state});
  states_[cell] = state;
}

void Recorder::add_check_warning(const CheckWarning& doubt) {
  if (ledger_) ledger_->set_check_warning(id_, doubt);
  record_.log.check_warnings.push_back(doubt);
}

void Recorder::add_look(const Finding& finding) {
  auto& taken = looks_[{finding.comparison, finding.metric}];
  if (finding.looks <= taken) return;
  const InterimLook look{.comparison = finding.comparison,
                         .metric = finding.metric,
                         .number = finding.looks,
                         .rounds = static_cast<int>(finding.rounds),
                         .p = finding.p,
                         .p_same = finding.p_equivalence,
                         .decision = to_string(finding.verdict)};
  if (ledger_) ledger_->add_look(id_, look);
  record_.log.looks.push_back(look);
  taken = finding.looks;
}

void Recorder::add_way_choice(const WayChoice& choice) {
  if (ledger_) ledger_->add_way_choice(id_, choice);
  record_.log.ways.push_back(choice);
}

void Recorder::set_code_samples(CodeSampleLog samples) {
  if (ledger_) ledger_->set_code_samples(id_, samples);
  record_.log.samples = std::move(samples);
}

void Recorder::set_state(CampaignState state) {
  if (ledger_) ledger_->set_state(id_, state);
  record_.log.state = state;
}

}  // namespace assay::engine
