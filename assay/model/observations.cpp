#include "assay/model/observations.hpp"

#include <algorithm>
#include <limits>
#include <unordered_set>
#include <utility>

namespace assay::model {
namespace {

using From = Observations::Source;

/// Where a trial's values belong; empty where they are not looked at. The one place that decides which trials
/// are judged.
std::optional<From> place_of(const Trial& trial, bool is_sound, const std::set<int>& whole) {
  const bool slow = trial.outcome == Outcome::timed_out && trial.role == Role::measured && trial.round;
  if (trial.outcome != Outcome::ok && !slow) return {};
  if (trial.role == Role::build) return From::built;
  if (trial.role == Role::check) return From::checked;
  if (!is_sound) return {};
  if (!trial.round) return trial.role == Role::measured ? std::optional(From::unpaired) : std::nullopt;
  if (!whole.contains(*trial.round)) return {};
  switch (trial.role) {
    case Role::measured:
      return From::judged;
    case Role::control:
      return From::control;
    case Role::pilot:
      return From::pilot;
    case Role::warm_up:
      return From::warm_up;
    case Role::build:
    case Role::check:
      break;
  }
  return {};
}

}  // namespace

ValuesByCell group_by_cell(const ValueColumn& values) {
  ValuesByCell cells;
  auto at = cells.end();
  for (std::size_t i = 0; i < values.size(); ++i) {
    if (at == cells.end() || at->first != values.cell[i]) at = cells.try_emplace(values.cell[i]).first;
    at->second.emplace_back(values.round[i], values.value[i]);
  }
  for (auto& [cell, rounds] : cells)
    if (!std::ranges::is_sorted(rounds, {}, &RoundValues::value_type::first))
      std::ranges::stable_sort(rounds, {}, &RoundValues::value_type::first);
  return cells;
}

std::vector<double> values_of(const RoundValues& rounds) {
  std::vector<double> values;
  values.reserve(rounds.size());
  for (const auto& [round, value] : rounds) values.push_back(value);
  return values;
}

std::set<int> complete_rounds(const Log& log) {
  int lowest_open = std::numeric_limits<int>::max();
  for (const auto& round : log.rounds)
    if (round.state == RoundState::open && round.role != Role::warm_up)
      lowest_open = std::min(lowest_open, round.number);
  std::set<int> numbers;
  for (const auto& round : log.rounds)
    if (round.state == RoundState::complete && round.number < lowest_open) numbers.insert(round.number);
  return numbers;
}

IdTable<CellId, int> repeats_per_cell(const Design& design, const Log& log) {
  IdTable<CellId, int> slots(design.cells.size(), 1);
  for (const auto& round : log.rounds) {
    if (round.role != Role::measured) continue;
    std::map<CellId, int> planned;
    for (const auto cell : round.order) slots[cell] = std::max(slots[cell], ++planned[cell]);
  }
  return slots;
}

/// One pass over the trials.
class Observations::Collector {
 public:
  Collector(Observations& into, std::set<int> whole) : into_(into), whole_(std::move(whole)) {}

  void sort_in(const Trial& trial) {
    auto& cell = into_.cells_[trial.cell];
    if (trial.orphans > 0) {
      cell.trials_with_orphans += 1;
      cell.orphans += static_cast<std::size_t>(trial.orphans);
    }
    if (trial.outcome == Outcome::discarded && trial.role != Role::pilot)
      ++into_.discard_reasons_[trial.detail];
    const bool in_round = !trial.round || whole_.contains(*trial.round);
    if (trial.role == Role::measured && in_round && trial.outcome != Outcome::interrupted &&
        trial.outcome != Outcome::discarded) {
      cell.trials += 1;
      cell.failed += trial.outcome == Outcome::ok ? 0U : 1U;
      if (trial.outcome == Outcome::timed_out) cell.timed_out.push_back(trial.round.value_or(0));
      if (trial.round) with_trials_.insert(*trial.round);
    }
    const auto from = place_of(trial, into_.statuses_[trial.cell].is_ok(), whole_);
    if (!from) return;
    if (*from == Source::judged && !trial.series.empty()) into_.with_series_.push_back(&trial);
    if (*from == Source::judged && !trial.latencies.empty()) into_.with_latencies_.push_back(&trial);
    if (*from == Source::judged) cell.output_bytes += static_cast<double>(trial.output_bytes);
    if (*from == Source::checked && !cell.was_checked) {
      cell.was_checked = true;
      cell.answer_digest = trial.output_digest;
      cell.answer_difference = trial.detail;
    }
    add_readings(trial, *from);
  }

  const std::unordered_set<int>& rounds_with_trials() const { return with_trials_; }

 private:
  void add_readings(const Trial& trial, Source from) {
    const int round = trial.round.value_or(0);
    const bool slow = trial.outcome == Outcome::timed_out;
    double longest = 0;
    for (const auto& reading : trial.readings)
      if (slow && into_.design.metrics[reading.metric].is_time()) longest = std::max(longest, reading.value);
    for (const auto& reading : trial.readings) {
      if (slow && !into_.design.metrics[reading.metric].is_time()) continue;
      into_.columns_[{from, reading.metric}].add(trial.cell, round, trial.repeat,
                                                 trial.batch > 0 ? -1 : trial.position,
                                                 slow ? longest : reading.value);
    }
  }

  Observations& into_;
  std::set<int> whole_;
  std::unordered_set<int> with_trials_;
};

Observations::Observations(const Design& of, const Log& log)
    : design(of),
      campaign_state_(log.state),
      statuses_(cell_statuses(of, log)),
      cells_(of.cells.size(), CellObservations{}),
      repeats_(repeats_per_cell(of, log)),
      way_choices_(log.ways),
      check_warnings_(of.workloads.size(), std::string{}),
      sessions_(log.sessions),
      machine_of_(machine_numbers(log.sessions, log.rounds)) {
  for (const auto cell : of.cells.ids()) ways_.add(way_of(of, log.ways, cell));
  for (const auto& round : log.rounds) {
    session_of_round_[round.number] = round.session;
    machine_of_round_[round.number] = machine_of_.contains(round.session) ? machine_of_[round.session] : 0;
  }
  for (const auto& doubt : log.check_warnings) check_warnings_[doubt.workload] = doubt.text;
  Collector sorting(*this, complete_rounds(log));
  for (const auto& trial : log.trials) sorting.sort_in(trial);
  for (const auto& [of_what, column] : columns_) by_cell_.emplace(of_what, group_by_cell(column));
  rounds_ = sorting.rounds_with_trials().size();
  const int last = machine_of_.empty() ? 0 : std::ranges::max(machine_of_);
  rounds_by_machine_.resize(static_cast<std::size_t>(last) + 1);
  for (const int round : sorting.rounds_with_trials())
    ++rounds_by_machine_[static_cast<std::size_t>(machine_of_round(round))];
  has_judged_rounds_ =
      std::ranges::any_of(log.rounds, [](const Round& r) { return r.role == Role::measured; });
}

int Observations::machine_of_round(int round) const {
  const auto found = machine_of_round_.find(round);
  return found == machine_of_round_.end() ? 0 : found->second;
}

bool Observations::has_several_machines() const {
  return std::ranges::count_if(rounds_by_machine_, [](std::size_t rounds) { return rounds > 0; }) > 1;
}

int Observations::main_machine() const {
  return static_cast<int>(std::ranges::max_element(rounds_by_machine_) - rounds_by_machine_.begin());
}

const ValueColumn& Observations::values(MetricId metric, Source from) const {
  static const ValueColumn nothing;
  const auto found = columns_.find({from, metric});
  return found == columns_.end() ? nothing : found->second;
}

const ValuesByCell& Observations::by_cell(MetricId metric, Source from) const {
  static const ValuesByCell nothing;
  const auto found = by_cell_.find({from, metric});
  return found == by_cell_.end() ? nothing : found->second;
}

const RoundValues& Observations::values_of(MetricId metric, CellId cell) const {
  static const RoundValues nothing;
  for (const auto from : {Source::judged, Source::unpaired}) {
    const auto& cells = by_cell(metric, from);
    if (const auto found = cells.find(cell); found != cells.end()) return found->second;
  }
  return nothing;
}

Replication Observations::replication(const Comparison& of) const {
  return {repeats_[of.baseline], repeats_[of.candidate], layouts_of(design, of)};
}

}  // namespace assay::model
