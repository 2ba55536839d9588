#include "assay/campaign/recorder.hpp"

#include <utility>

namespace assay::campaign {

Recorder::Recorder(Record record, const std::string& ledger) : record_(std::move(record)) {
  if (ledger.empty()) return;
  ledger_.emplace(ledger);
  id_ = ledger_->begin(record_);
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
  if (ledger_) ledger_->add_trial(id_, trial);
  record_.trials.push_back(std::move(trial));
}

void Recorder::set_standing(CellId cell, Standing standing, const std::string& detail) {
  if (ledger_) ledger_->set_standing(id_, cell, standing, detail);
  record_.cells[cell.place()].standing = standing;
  record_.cells[cell.place()].detail = detail;
}

void Recorder::add_look(const Finding& finding) {
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
