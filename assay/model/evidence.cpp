#include "assay/model/evidence.hpp"

#include <algorithm>
#include <limits>

namespace assay::inline v1::inline model {
namespace {

using From = Evidence::From;

/// Where a trial's values belong; empty where they are not looked at. The one place that decides which trials
/// are judged.
std::optional<From> place_of(const Trial& trial, bool is_sound, const std::set<int>& whole) {
  if (trial.outcome != Outcome::ok) return {};
  if (trial.role == Role::build) return From::built;
  if (trial.role == Role::check) return From::checked;
  if (!is_sound) return {};
  if (!trial.round) return trial.role == Role::counted ? std::optional(From::unpaired) : std::nullopt;
  if (!whole.contains(*trial.round)) return {};
  switch (trial.role) {
    case Role::counted:
      return From::judged;
    case Role::control:
      return From::control;
    case Role::pilot:
      return From::pilot;
    case Role::first:
      return From::warm_up;
    case Role::build:
    case Role::check:
      break;
  }
  return {};
}

}  // namespace

std::set<int> whole_rounds(const Log& log) {
  int lowest_open = std::numeric_limits<int>::max();
  for (const auto& round : log.rounds)
    if (round.state == RoundState::open) lowest_open = std::min(lowest_open, round.number);
  std::set<int> numbers;
  for (const auto& round : log.rounds)
    if (round.state == RoundState::whole && round.number < lowest_open) numbers.insert(round.number);
  return numbers;
}

Evidence::Evidence(const Design& of, const Log& log)
    : design(of),
      campaign_state_(log.state),
      states_(states_of(of, log)),
      cells_(of.cells.size(), CellEvidence{}),
      doubts_(of.workloads.size(), std::string{}),
      sittings_(log.sittings) {
  for (const auto& doubt : log.doubts) doubts_[doubt.workload] = doubt.text;
  const auto whole = whole_rounds(log);
  for (const auto& trial : log.trials) sort_in(trial, whole);
  rounds_ = rounds_with_trials_.size();
}

void Evidence::sort_in(const Trial& trial, const std::set<int>& whole) {
  auto& cell = cells_[trial.cell];
  if (trial.leftovers > 0) {
    cell.trials_with_leftovers += 1;
    cell.leftovers += static_cast<std::size_t>(trial.leftovers);
  }
  if (trial.outcome == Outcome::voided) ++voids_[trial.detail];
  const bool in_round = !trial.round || whole.contains(*trial.round);
  if (trial.role == Role::counted && in_round && trial.outcome != Outcome::interrupted &&
      trial.outcome != Outcome::voided) {
    cell.trials += 1;
    cell.failed += trial.outcome == Outcome::ok ? 0U : 1U;
    if (trial.round) rounds_with_trials_.insert(*trial.round);
  }
  const auto from = place_of(trial, states_[trial.cell].is_sound(), whole);
  if (!from) return;
  if (*from == From::judged) cell.output_bytes += static_cast<double>(trial.output_bytes);
  if (*from == From::checked && !cell.was_checked) {
    cell.was_checked = true;
    cell.answer_digest = trial.output_digest;
    cell.answer_difference = trial.detail;
  }
  const int round = trial.round.value_or(0);
  const int repeat = *from == From::judged ? seen_[{trial.cell, round}]++ : 0;
  const auto machine = sittings_.holds(trial.sitting) ? sittings_[trial.sitting].machine : MachineId{};
  for (const auto& reading : trial.readings) {
    auto& column = columns_[{*from, reading.metric}];
    column.cell.push_back(trial.cell);
    column.round.push_back(round);
    column.repeat.push_back(repeat);
    column.machine.push_back(machine);
    column.position.push_back(trial.heat > 0 ? -1 : trial.position);
    column.value.push_back(reading.value);
  }
}

const Column& Evidence::values(MetricId metric, From from) const {
  static const Column nothing;
  const auto found = columns_.find({from, metric});
  return found == columns_.end() ? nothing : found->second;
}

}  // namespace assay::inline v1::inline model
