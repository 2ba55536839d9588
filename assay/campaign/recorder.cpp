#include "assay/campaign/recorder.hpp"

#include <algorithm>
#include <utility>

namespace assay::campaign {

Recorder::Recorder(Record record, const std::string& ledger) : record_(std::move(record)) {
  if (ledger.empty()) return;
  ledger_.emplace(ledger);
  id_ = ledger_->begin(record_);
}

Recorder::Recorder(Record record, ledger::Ledger ledger, CampaignId id)
    : record_(std::move(record)), ledger_(std::move(ledger)), id_(id) {
  ledger_->add_sitting(id_, record_.sittings.back());
  for (auto& round : record_.rounds) {
    if (round.state != RoundState::open) continue;
    ledger_->set_round_state(id_, round.number, RoundState::torn);
    round.state = RoundState::torn;
  }
  for (const auto& look : ledger_->looks(id_)) {
    auto& taken = looks_[{look.of, look.metric}];
    taken = std::max(taken, look.number);
  }
  record_.info.state = CampaignState::open;
}

void Recorder::add_round(const Round& round) {
  if (ledger_) ledger_->add_round(id_, round);
  record_.rounds.push_back(round);
}

void Recorder::end_round(RoundState state) {
  if (ledger_) ledger_->set_round_state(id_, record_.rounds.back().number, state);
  record_.rounds.back().state = state;
}

void Recorder::add_trial(Trial trial) {
  trial.sitting = SittingId{static_cast<std::int64_t>(record_.sittings.size()) - 1};
  if (ledger_) ledger_->add_trial(id_, trial);
  record_.trials.push_back(std::move(trial));
}

void Recorder::set_standing(CellId cell, Standing standing, const std::string& detail) {
  if (ledger_) ledger_->set_standing(id_, cell, standing, detail);
  record_.cells[cell.place()].standing = standing;
  record_.cells[cell.place()].detail = detail;
}

void Recorder::set_doubt(WorkloadId workload, const std::string& doubt) {
  if (ledger_) ledger_->set_doubt(id_, workload, doubt);
  record_.workloads[workload.place()].doubt = doubt;
}

void Recorder::add_look(const Finding& finding) {
  auto& taken = looks_[{finding.of, finding.metric}];
  if (finding.looks <= taken) return;
  taken = finding.looks;
  if (!ledger_) return;
  ledger_->add_look(id_, {.of = finding.of,
                          .metric = finding.metric,
                          .number = finding.looks,
                          .rounds = static_cast<int>(finding.rounds),
                          .p = finding.p,
                          .p_same = finding.p_same,
                          .decision = to_string(finding.verdict)});
}

void Recorder::set_state(CampaignState state) {
  if (ledger_) ledger_->set_state(id_, state);
  record_.info.state = state;
}

}  // namespace assay::campaign
