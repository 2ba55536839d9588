#include "assay/contest/function_runner.hpp"

#include <algorithm>
#include <chrono>
#include <cmath>
#include <limits>
#include <utility>

#include "assay/contest/allocations.hpp"
#include "assay/contest/slice_clock.hpp"
#include "assay/model/error.hpp"
#include "assay/model/units.hpp"
#include "assay/stats/location.hpp"

namespace assay::contest {
namespace {

using metrics::MetricKind;

constexpr double team_slice = 2e-3;  // waking threads takes tens of microseconds
/// So many times the allowance is no matter of cold caches or of a neighbour that took the core.
constexpr double far_beyond = 10;

double seconds_now() {
  return std::chrono::duration<double>(std::chrono::steady_clock::now().time_since_epoch()).count();
}

/// How many threads a setting asks for; one thread is timed as several are. Empty where none are spoken of.
std::optional<std::int64_t> threads_of(const Setting& setting) {
  if (!setting.levels.contains("threads")) return {};
  return setting.integer("threads");
}

}  // namespace

/// A cell that is being played.
struct FunctionRunner::PreparedFunction {
  Setting setting;
  const Callable* pristine = nullptr;
  std::unique_ptr<Callable> steady;
  TimedFunction contender;
  std::optional<Answer> answer;  ///< of its check; none where that failed
  bool first_calls = true;       ///< worth their time
  std::string broken;            ///< what making its copies threw, the last time

  void drop_copies() {
    contender.callable = nullptr;
    contender.of_threads.clear();
    steady.reset();
  }
  void make_copies() try {
    broken.clear();
    steady = pristine->fresh();
    contender.callable = steady.get();
    const auto threads = contender.threads == nullptr ? 0 : contender.threads->size();
    while (contender.of_threads.size() < threads) contender.of_threads.push_back(pristine->fresh());
  } catch (...) {
    broken = rethrown_error();
  }
  bool has_threads() const { return contender.of_threads.size() > 1; }

  void* one_input() const {
    return steady->consumes() ? contender.input->copies(1) : const_cast<void*>(contender.input->shared());
  }

  /// What one call answers, and its seconds.
  std::pair<Answer, double> timed_answer() const {
    void* input = one_input();
    const double start = seconds_now();
    auto timed = steady->answer(input);
    return {std::move(timed), seconds_now() - start};
  }
};

FunctionRunner::FunctionRunner(const Contest::ComparisonSpec& parts, const Options& options,
                               const Design& design, IdTable<CandidateId, FunctionVariant> players)
    : parts_(parts),
      options_(options),
      design_(design),
      players_(std::move(players)),
      ids_(design.metrics),
      random_(design.rules.seed, 1),
      slow_(parts.factors, options.max_call_time) {}

FunctionRunner::~FunctionRunner() = default;

void FunctionRunner::close() {
  seats_.clear();
  teams_.clear();
  inputs_.clear();
}

FunctionRunner::PreparedFunction& FunctionRunner::prepared(CellId id) {
  if (const auto known = seats_.find(id); known != seats_.end()) return *known->second;
  auto place = std::make_unique<
      PreparedFunction>();  // kept when it is whole: functions and inputs may throw meanwhile
  const auto& cell = design_.cells[id];
  const auto& player = players_[cell.candidate];
  place->setting = cell.setting;
  place->pristine = parts_.candidates[player.candidate].callable.get();
  auto& shared = inputs_[cell.setting.text()];
  if (!shared.input) renew_input(shared, cell.setting);
  place->contender.input = shared.input.get();
  place->contender.copy = player.copy;
  if (const auto threads = threads_of(cell.setting)) {
    auto& team = teams_[*threads];
    if (!team) team = std::make_unique<ThreadGroup>(static_cast<std::size_t>(*threads));
    place->contender.threads = team.get();
  }
  place->make_copies();
  return *seats_.emplace(id, std::move(place)).first->second;
}

std::unique_ptr<Input> FunctionRunner::made_input(const Setting& setting) const {
  if (parts_.make_input) return parts_.make_input(setting);
  return std::make_unique<TypedInput<Nothing>>([] { return Nothing{}; });
}

/// Makes the copies of these cells' functions, all of one setting, and their input anew.
void FunctionRunner::lay_out_anew(std::span<const CellId> cells) {
  constexpr double share_for_input = 0.1;  // of the time of slices
  std::vector<PreparedFunction*> seats;
  for (const auto id : cells) seats.push_back(&prepared(id));
  auto& shared = inputs_.at(seats.front()->setting.text());
  const double start = seconds_now();
  const bool renew = shared.cost <= share_for_input * shared.seconds_since;
  padding_.begin();
  for (auto* const it : seats) it->drop_copies();
  std::vector<PreparedFunction*> to_make = seats;
  if (renew) to_make.push_back(nullptr);
  random_.shuffle(std::span(to_make));
  for (auto* const it : to_make) {
    padding_.add(random_);
    if (it != nullptr) {
      it->make_copies();
      continue;
    }
    try {
      renew_input(shared, seats.front()->setting);
    } catch (...) {  // what was made before is as good; it is not tried again
      shared.cost = std::numeric_limits<double>::infinity();
    }
  }
  shared.making += seconds_now() - start;
}

/// Copies are made anew however long that takes, or layout would be judged for speed; but then it is said.
void FunctionRunner::tell_what_takes_long(Shared& shared, const Setting& setting) const {
  constexpr double a_while = 0.5;  // seconds
  if (shared.reported || options_.observer == nullptr || shared.making < a_while ||
      shared.making < shared.slices)
    return;
  shared.reported = true;
  const auto where = setting.text();
  options_.observer->on_message(
      "copying the functions anew for each round" + (where.empty() ? "" : " at " + where) +
      " takes longer than measuring them: " + duration_text(std::round(shared.making * 10) / 10) +
      " so far, against " + duration_text(std::round(shared.slices * 10) / 10));
}

void FunctionRunner::renew_input(Shared& shared, const Setting& setting) {
  const double start = seconds_now();
  auto fresh = made_input(setting);
  shared.cost = seconds_now() - start;
  shared.seconds_since = 0;
  // Answers may refer to the input that they were found with.
  for (const auto& [id, other] : seats_)
    if (other->contender.input == shared.input.get()) {
      other->answer.reset();
      other->contender.input = fresh.get();
    }
  shared.input = std::move(fresh);
}

Trial FunctionRunner::check(CellId id, std::optional<CellId> baseline, const std::stop_token&) {
  Trial trial{.cell = id, .role = Role::check};
  const auto says = [&](Outcome outcome, std::string why) {
    trial.outcome = outcome;
    trial.detail = std::move(why);
    return trial;
  };
  if (auto slow = slow_.skip_reason(design_.cells[id])) return says(Outcome::unsupported, *std::move(slow));
  try {
    auto& mine = prepared(id);
    if (!mine.broken.empty()) return says(Outcome::failed, mine.broken);
    auto [answer, took] = mine.timed_answer();
    mine.answer = std::move(answer);
    if (const auto& expected = prepared(baseline.value_or(id)).answer; baseline && expected) {
      auto wrong = disagreement(parts_, *expected, *mine.answer);
      if (!wrong.empty()) return says(Outcome::wrong, std::move(wrong));
    }
    if (took > options_.max_call_time && took < far_beyond * options_.max_call_time)
      took = std::min(took, mine.timed_answer().second);
    if (auto slow = slow_.record(design_.cells[id], took))
      return says(Outcome::unsupported, *std::move(slow));
    return trial;
  } catch (const Error&) {
    throw;
  } catch (...) {
    return says(Outcome::failed, rethrown_error());
  }
}

void FunctionRunner::add(Trial& trial, MetricKind metric, double value) const {
  if (const auto id = ids_.find(metric); id && std::isfinite(value)) trial.readings.push_back({*id, value});
}

/// The first call of a copy that was never called: this round's. With the clock's cost taken off.
void FunctionRunner::first_call(PreparedFunction& seat, int round, Trial& trial) {
  constexpr int rounds_of_slow_ones = 13;
  if (!seat.first_calls && round > rounds_of_slow_ones) return;
  TimedFunction once{
      .callable = seat.steady.get(), .input = seat.contender.input, .copy = seat.contender.copy};
  const double took = time_slice(once, 1);
  const double share = options_.budget / std::max(options_.rounds_max, 1);
  seat.first_calls = seat.first_calls && took < 0.1 * share;
  if (took > 0) add(trial, MetricKind::first_call, took);
}

/// A slice that is not timed: with the kernel's counters on, and one call with allocations counted.
void FunctionRunner::count(PreparedFunction& seat, Trial& trial) {
  if (start_counting_allocations()) {
    stop_counting_allocations();  // the first time may allocate by itself
    void* input = seat.one_input();
    auto* function = seat.steady->function();
    const auto slice = seat.steady->slice(seat.contender.copy);
    start_counting_allocations();
    slice(function, input, 1);
    const auto counted = stop_counting_allocations();
    add(trial, MetricKind::allocations, static_cast<double>(counted.calls));
    add(trial, MetricKind::allocated_bytes, static_cast<double>(counted.bytes));
    add(trial, MetricKind::peak_allocated, static_cast<double>(counted.peak));
  }
  if (!counters_.offers(measure::Counter::instructions) || seat.has_threads()) return;
  const auto calls = seat.contender.calls;
  // On this thread, whose counters they are.
  TimedFunction here{
      .callable = seat.steady.get(), .input = seat.contender.input, .copy = seat.contender.copy};
  counters_.start();
  time_slice(here, calls);
  const auto counts = counters_.stop();
  const auto per_call = [&](MetricKind metric, measure::Counter counter) {
    if (const auto& count = counts[static_cast<std::size_t>(counter)])
      add(trial, metric, *count / static_cast<double>(calls));
  };
  per_call(MetricKind::instructions, measure::Counter::instructions);
  per_call(MetricKind::cycles, measure::Counter::cycles);
  per_call(MetricKind::branch_misses, measure::Counter::branch_misses);
  per_call(MetricKind::cache_misses, measure::Counter::cache_misses);
}

/// Everything of a round that comes before its slices.
void FunctionRunner::make_ready(PreparedFunction& seat, int round, Trial& trial) {
  auto& contender = seat.contender;
  if (!seat.has_threads()) first_call(seat, round, trial);
  calibrate(contender, contender.threads != nullptr ? std::max(team_slice, options_.slice) : options_.slice);
  count(seat, trial);
  contender.seconds_per_call.clear();
  contender.calls_made = 0;
  contender.error.clear();
}

/// What a round's slices come to.
void FunctionRunner::read_slices(const PreparedFunction& seat, Trial& trial) const {
  const auto& contender = seat.contender;
  trial.calls = static_cast<std::int64_t>(contender.calls_made);
  const auto& slices = contender.seconds_per_call;
  if (!contender.error.empty() || slices.empty()) {
    trial.outcome = contender.error.empty() ? Outcome::discarded : Outcome::failed;
    trial.detail = contender.error.empty() ? "no slice was run" : contender.error;
    return;
  }
  const double typical = stats::trimmed_mean(slices, 0.25), mean = stats::mean(slices);
  const double threads = static_cast<double>(std::max<std::size_t>(contender.of_threads.size(), 1));
  add(trial, MetricKind::time_per_call, typical);
  add(trial, MetricKind::mean_time_per_call, mean);
  const double amount = parts_.amount ? parts_.amount(seat.setting) : 1;
  if (typical > 0) add(trial, MetricKind::throughput, threads * amount / typical);
}

std::vector<Trial> FunctionRunner::run(const Batch& heat, const std::stop_token& stop) {
  const double share = options_.budget / std::max(options_.rounds_max, 1);
  std::vector<Trial> trials;
  std::vector<TimedFunction> playing;
  std::vector<std::pair<Trial*, PreparedFunction*>> of;  // in the order of those that play
  trials.reserve(heat.cells.size());
  lay_out_anew(heat.cells);
  for (std::size_t i = 0; i < heat.cells.size(); ++i) {
    auto& trial = trials.emplace_back(Trial{.cell = heat.cells[i],
                                            .round = heat.round,
                                            .role = heat.role,
                                            .position = heat.position + static_cast<int>(i),
                                            .batch = heat.number});
    if (stop.stop_requested()) {
      trial.outcome = Outcome::interrupted;
      continue;
    }
    try {
      auto& its = prepared(trial.cell);
      if (!its.broken.empty()) {
        trial.outcome = Outcome::failed;
        trial.detail = its.broken;
        continue;
      }
      make_ready(its, heat.round, trial);
      playing.push_back(std::move(its.contender));
      of.emplace_back(&trial, &its);
    } catch (const Error&) {
      throw;
    } catch (...) {
      trial.outcome = Outcome::failed;
      trial.detail = rethrown_error();
    }
  }
  if (!playing.empty()) run_blocks(playing, share, random_);
  const auto& setting = design_.cells[heat.cells.front()].setting;
  auto& shared = inputs_.at(setting.text());
  shared.seconds_since += share;
  shared.slices += share;
  tell_what_takes_long(shared, setting);
  for (std::size_t k = 0; k < playing.size(); ++k) {
    of[k].second->contender = std::move(playing[k]);
    read_slices(*of[k].second, *of[k].first);
  }
  return trials;
}

}  // namespace assay::contest
