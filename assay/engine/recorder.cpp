#include "assay/engine/recorder.hpp"

#include <algorithm>
#include <iterator>
#include <utility>

#include "assay/model/enum_names.hpp"

namespace assay::engine {

Recorder::Recorder(Record record, const std::string& ledger)
    : record_(std::move(record)), states_(cell_statuses(record_.design, record_.log)) {
  if (!record_.log.sessions.empty()) session_ = SessionId{record_.log.sessions.next_id().value - 1};
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
  session_ = record_.log.sessions.add(std::move(session));
  for (auto& round : record_.log.rounds)
    if (round.state == RoundState::open) round.state = RoundState::aborted;
  for (const auto& round : record_.log.rounds) taken_over_.insert(round.number);
  count_looks();
  record_.log.state = CampaignState::open;
}

Recorder::Recorder(Record record, ledger::Ledger ledger, CampaignId id, SessionId own)
    : record_(std::move(record)),
      states_(cell_statuses(record_.design, record_.log)),
      ledger_(std::move(ledger)),
      id_(id),
      session_(own),
      is_shared_(true) {
  // Trials of rounds that were open when this was read come with the rest of their round.
  std::set<int> open;
  for (const auto& round : record_.log.rounds)
    (round.state == RoundState::open ? open : taken_over_).insert(round.number);
  std::erase_if(record_.log.trials,
                [&](const Trial& trial) { return trial.round && open.contains(*trial.round); });
  count_looks();
  const auto changes = ledger_->changes(known());
  seconds_before_ = changes.seconds;
  apply(changes);
}

void Recorder::count_looks() {
  for (const auto& look : record_.log.looks) {
    auto& taken = looks_[{look.comparison, look.metric}];
    taken = std::max(taken, look.number);
  }
}

Round* Recorder::find_round(int number) {
  auto& rounds = record_.log.rounds;
  const auto at = std::ranges::lower_bound(rounds, number, {}, &Round::number);
  return at != rounds.end() && at->number == number ? &*at : nullptr;
}

ledger::KnownCampaign Recorder::known() const {
  ledger::KnownCampaign known{.campaign = id_, .session = session_, .sessions = record_.log.sessions.size()};
  const auto& rounds = record_.log.rounds;
  const auto open = std::ranges::find(rounds, RoundState::open, &Round::state);
  known.from_round = open != rounds.end() ? open->number : rounds.empty() ? 1 : rounds.back().number + 1;
  return known;
}

void Recorder::apply(const ledger::CampaignChanges& changes) {
  others_at_work_ = changes.others_at_work;
  is_shared_ = is_shared_ || others_at_work_ > 0 || !changes.sessions.empty();
  is_closing_ = changes.is_closing;
  has_ended_elsewhere_ = changes.state == CampaignState::ended;
  if (!changes.sessions.empty()) record_.log.sessions = changes.sessions;
  for (const auto cell : states_.ids()) {
    const auto at = static_cast<std::size_t>(cell.value);
    if (at >= changes.statuses.size() || changes.statuses[at].is_ok() || !states_[cell].is_ok()) continue;
    record_.log.status_changes.push_back({cell, changes.statuses[at]});
    states_[cell] = changes.statuses[at];
  }
  for (const auto& choice : changes.ways)
    if (std::ranges::find(record_.log.ways, choice.workload, &WayChoice::workload) == record_.log.ways.end())
      record_.log.ways.push_back(choice);
  decided_.insert(changes.decided.begin(), changes.decided.end());
  std::set<int> closed;
  for (const auto& round : changes.rounds) {
    if (round.session == session_) continue;
    if (auto* here = find_round(round.number)) {
      here->state = round.state;
    } else {
      auto& rounds = record_.log.rounds;
      rounds.insert(std::ranges::lower_bound(rounds, round.number, {}, &Round::number), round);
    }
    if (round.state != RoundState::open && taken_over_.insert(round.number).second)
      closed.insert(round.number);
  }
  for (const auto& trial : changes.trials)
    if (trial.round && closed.contains(*trial.round)) record_.log.trials.push_back(trial);
}

void Recorder::refresh() {
  if (ledger_) apply(ledger_->changes(known()));
}

bool Recorder::others_have_open_rounds() const {
  return std::ranges::any_of(record_.log.rounds, [&](const Round& round) {
    return round.state == RoundState::open && round.session != session_ && round.role != Role::warm_up;
  });
}

void Recorder::reread() {
  if (!ledger_) return;
  auto whole = ledger_->read(id_);
  record_.log = std::move(whole.log);
  states_ = cell_statuses(record_.design, record_.log);
}

std::optional<Round> Recorder::claim_round(const std::function<std::optional<RoundPlan>(int number)>& plan_of,
                                           double seconds) {
  std::optional<Round> claimed;
  if (ledger_) {
    claimed = ledger_->claim_round(known(), seconds, [&](int number, const ledger::CampaignChanges& changes) {
      apply(changes);
      return plan_of(number);
    });
  } else {
    Round round{.session = session_};
    round.number = record_.log.rounds.empty() ? 1 : record_.log.rounds.back().number + 1;
    if (auto plan = plan_of(round.number)) {
      static_cast<RoundPlan&>(round) = *std::move(plan);
      claimed = std::move(round);
    }
  }
  if (!claimed) return {};
  own_round_ = claimed->number;
  taken_over_.insert(own_round_);
  auto& rounds = record_.log.rounds;
  rounds.insert(std::ranges::lower_bound(rounds, own_round_, {}, &Round::number), *claimed);
  return claimed;
}

bool Recorder::end_round(RoundState state) {
  const bool kept = !ledger_ || ledger_->set_round_state(id_, own_round_, state);
  if (auto* round = find_round(own_round_)) round->state = kept ? state : RoundState::aborted;
  return kept;
}

void Recorder::add_trial(Trial trial) {
  trial.session = session_;
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

void Recorder::set_decided(const std::set<Comparison>& decided) {
  std::vector<Comparison> fresh;
  std::ranges::set_difference(decided, decided_, std::back_inserter(fresh));
  if (fresh.empty()) return;
  if (ledger_) ledger_->set_decided(id_, fresh);
  decided_.insert(fresh.begin(), fresh.end());
}

void Recorder::end_session(CampaignState state) {
  if (ledger_) ledger_->end_session(id_, session_, state);
  record_.log.state = state;
}

}  // namespace assay::engine
