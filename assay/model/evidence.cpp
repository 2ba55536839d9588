#include "assay/model/evidence.hpp"

#include <algorithm>
#include <limits>
#include <unordered_set>
#include <utility>

namespace assay::inline v1::inline model {
namespace {

using From = Evidence::From;

/// Where a trial's values belong; empty where they are not looked at. The one place that decides which trials
/// are judged.
std::optional<From> place_of(const Trial& trial, bool is_sound, const std::set<int>& whole) {
  const bool slow = trial.outcome == Outcome::timed_out && trial.role == Role::counted && trial.round;
  if (trial.outcome != Outcome::ok && !slow) return {};
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

Table<CellId, int> slots_of(const Design& design, const Log& log) {
  Table<CellId, int> slots(design.cells.size(), 1);
  for (const auto& round : log.rounds) {
    if (round.role != Role::counted) continue;
    std::map<CellId, int> planned;
    for (const auto cell : round.order) slots[cell] = std::max(slots[cell], ++planned[cell]);
  }
  return slots;
}

/// One pass over the trials.
class Evidence::Sorting {
 public:
  Sorting(Evidence& into, std::set<int> whole) : into_(into), whole_(std::move(whole)) {}

  void sort_in(const Trial& trial) {
    auto& cell = into_.cells_[trial.cell];
    if (trial.leftovers > 0) {
      cell.trials_with_leftovers += 1;
      cell.leftovers += static_cast<std::size_t>(trial.leftovers);
    }
    if (trial.outcome == Outcome::voided) ++into_.voids_[trial.detail];
    const bool in_round = !trial.round || whole_.contains(*trial.round);
    if (trial.role == Role::counted && in_round && trial.outcome != Outcome::interrupted &&
        trial.outcome != Outcome::voided) {
      cell.trials += 1;
      cell.failed += trial.outcome == Outcome::ok ? 0U : 1U;
      if (trial.outcome == Outcome::timed_out) cell.timed_out.push_back(trial.round.value_or(0));
      if (trial.round) with_trials_.insert(*trial.round);
    }
    const auto from = place_of(trial, into_.states_[trial.cell].is_sound(), whole_);
    if (!from) return;
    if (*from == From::judged && !trial.series.empty()) into_.with_series_.push_back(&trial);
    if (*from == From::judged && !trial.latencies.empty()) into_.with_latencies_.push_back(&trial);
    if (*from == From::judged) cell.output_bytes += static_cast<double>(trial.output_bytes);
    if (*from == From::checked && !cell.was_checked) {
      cell.was_checked = true;
      cell.answer_digest = trial.output_digest;
      cell.answer_difference = trial.detail;
    }
    add_readings(trial, *from);
  }

  std::size_t rounds_with_trials() const { return with_trials_.size(); }

 private:
  void add_readings(const Trial& trial, From from) {
    const int round = trial.round.value_or(0);
    const auto& sittings = into_.sittings_;
    const auto machine = sittings.holds(trial.sitting) ? sittings[trial.sitting].machine : MachineId{};
    const bool slow = trial.outcome == Outcome::timed_out;
    double longest = 0;
    for (const auto& reading : trial.readings)
      if (slow && into_.design.metrics[reading.metric].is_time()) longest = std::max(longest, reading.value);
    for (const auto& reading : trial.readings) {
      if (slow && !into_.design.metrics[reading.metric].is_time()) continue;
      auto& column = into_.columns_[{from, reading.metric}];
      column.cell.push_back(trial.cell);
      column.round.push_back(round);
      column.repeat.push_back(trial.repeat);
      column.machine.push_back(machine);
      column.position.push_back(trial.heat > 0 ? -1 : trial.position);
      column.value.push_back(slow ? longest : reading.value);
    }
  }

  Evidence& into_;
  std::set<int> whole_;
  std::unordered_set<int> with_trials_;
};

Evidence::Evidence(const Design& of, const Log& log)
    : design(of),
      campaign_state_(log.state),
      states_(states_of(of, log)),
      cells_(of.cells.size(), CellEvidence{}),
      slots_(slots_of(of, log)),
      doubts_(of.workloads.size(), std::string{}),
      sittings_(log.sittings) {
  for (const auto& doubt : log.doubts) doubts_[doubt.workload] = doubt.text;
  Sorting sorting(*this, whole_rounds(log));
  for (const auto& trial : log.trials) sorting.sort_in(trial);
  rounds_ = sorting.rounds_with_trials();
  has_judged_rounds_ =
      std::ranges::any_of(log.rounds, [](const Round& r) { return r.role == Role::counted; });
}

const Column& Evidence::values(MetricId metric, From from) const {
  static const Column nothing;
  const auto found = columns_.find({from, metric});
  return found == columns_.end() ? nothing : found->second;
}

Repeats Evidence::repeats(const Contrast& of) const {
  return {slots_[of.baseline], slots_[of.candidate], layouts_of(design, of)};
}

}  // namespace assay::inline v1::inline model
