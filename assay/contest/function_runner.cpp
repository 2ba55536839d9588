#include "assay/contest/function_runner.hpp"

#include <algorithm>
#include <chrono>
#include <cmath>
#include <limits>
#include <utility>

#include "assay/contest/slice_sampler.hpp"
#include "assay/contest/slices.hpp"
#include "assay/contest/threads.hpp"
#include "assay/model/error.hpp"
#include "assay/model/text.hpp"
#include "assay/places/stack_callers.hpp"
#include "assay/stats/location.hpp"

namespace assay::contest {
namespace {

using metrics::MetricKind;

constexpr double group_slice = 2e-3;  // waking threads takes tens of microseconds
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
  TimedFunction timed;
  std::optional<Answer> answer;  ///< of its check; none where that failed
  bool first_calls = true;       ///< worth their time
  std::string broken;            ///< what making its copies threw, the last time

  void drop_copies() {
    timed.callable = nullptr;
    timed.of_threads.clear();
    steady.reset();
  }
  void make_copies() try {
    broken.clear();
    steady = pristine->fresh();
    timed.callable = steady.get();
    const auto threads = timed.threads == nullptr ? 0 : timed.threads->size();
    while (timed.of_threads.size() < threads) timed.of_threads.push_back(pristine->fresh());
  } catch (...) {
    broken = rethrown_error();
  }
  bool has_threads() const { return timed.of_threads.size() > 1; }

  void* one_input() const {
    return steady->consumes() ? timed.input->copies(1) : const_cast<void*>(timed.input->shared());
  }

  /// What one call answers, and its seconds.
  std::pair<Answer, double> timed_answer() const {
    void* input = one_input();
    const double start = seconds_now();
    auto answer_now = steady->answer(input);
    return {std::move(answer_now), seconds_now() - start};
  }
};

FunctionRunner::FunctionRunner(const Contest::ComparisonSpec& parts, const Options& options,
                               const Design& design, IdTable<CandidateId, FunctionVariant> variants)
    : parts_(parts),
      options_(options),
      design_(design),
      variants_(std::move(variants)),
      ids_(design.metrics),
      random_(design.rules.seed, 1),
      slow_(parts.factors, options.max_call_time) {
  if (options.sampling_period > 0) {
    sampling_.period = options.sampling_period;
    sampling_.callers = std::make_shared<places::StackCallers>();
  }
}

FunctionRunner::~FunctionRunner() = default;

void FunctionRunner::close() {
  seats_.clear();
  thread_groups_.clear();
  inputs_.clear();
}

FunctionRunner::PreparedFunction& FunctionRunner::prepared(CellId id) {
  if (const auto known = seats_.find(id); known != seats_.end()) return *known->second;
  auto place = std::make_unique<
      PreparedFunction>();  // kept when it is whole: functions and inputs may throw meanwhile
  const auto& cell = design_.cells[id];
  const auto& variant = variants_[cell.candidate];
  place->setting = cell.setting;
  place->pristine = parts_.candidates[variant.candidate].callable.get();
  auto& shared = inputs_[cell.setting.text()];
  if (!shared.input) renew_input(shared, cell.setting);
  place->timed.input = shared.input.get();
  place->timed.copy = variant.copy;
  if (const auto threads = threads_of(cell.setting)) {
    auto& group = thread_groups_[*threads];
    if (!group) group = std::make_unique<ThreadGroup>(static_cast<std::size_t>(*threads));
    place->timed.threads = group.get();
  }
  place->make_copies();
  return *seats_.emplace(id, std::move(place)).first->second;
}

std::unique_ptr<Input> FunctionRunner::made_input(const Setting& setting) const {
  if (parts_.make_input) return parts_.make_input(setting);
  return std::make_unique<TypedInput<Nothing>>([] { return Nothing{}; });
}

/// Makes the copies of these cells' functions, all of one setting, and their input again.
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

/// Copies are made again however long that takes, or layout would be judged for speed; and that is reported.
void FunctionRunner::tell_what_takes_long(Shared& shared, const Setting& setting) const {
  constexpr double a_while = 0.5;  // seconds
  if (shared.reported || options_.run.observer == nullptr || shared.making < a_while ||
      shared.making < shared.slices)
    return;
  shared.reported = true;
  const auto where = setting.text();
  options_.run.observer->on_message(
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
    if (other->timed.input == shared.input.get()) {
      other->answer.reset();
      other->timed.input = fresh.get();
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
void FunctionRunner::first_call(PreparedFunction& prepared, int round, Trial& trial) {
  constexpr int rounds_of_slow_ones = 13;
  if (!prepared.first_calls && round > rounds_of_slow_ones) return;
  TimedFunction once{
      .callable = prepared.steady.get(), .input = prepared.timed.input, .copy = prepared.timed.copy};
  const double took = time_slice(once, 1);
  const double share = options_.budget / std::max(options_.rounds_max, 1);
  prepared.first_calls = prepared.first_calls && took < 0.1 * share;
  if (took > 0) add(trial, MetricKind::first_call, took);
}

/// A slice that is not timed: with the kernel's counters on, and one call with allocations counted.
void FunctionRunner::count(PreparedFunction& prepared, Trial& trial) {
  if (start_counting_allocations()) {
    stop_counting_allocations();  // the first time may allocate by itself
    void* input = prepared.one_input();
    auto* function = prepared.steady->function();
    const auto slice = prepared.steady->slice(prepared.timed.copy);
    start_counting_allocations();
    slice(function, input, 1);
    const auto counted = stop_counting_allocations();
    add(trial, MetricKind::allocations, static_cast<double>(counted.calls));
    add(trial, MetricKind::allocated_bytes, static_cast<double>(counted.bytes));
    add(trial, MetricKind::peak_allocated, static_cast<double>(counted.peak));
  }
  if (!counters_.offers(measure::Counter::instructions) || prepared.has_threads()) return;
  const auto calls = prepared.timed.calls;
  // On this thread, whose counters they are.
  TimedFunction here{
      .callable = prepared.steady.get(), .input = prepared.timed.input, .copy = prepared.timed.copy};
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
void FunctionRunner::make_ready(PreparedFunction& prepared, int round, Trial& trial) {
  auto& timed = prepared.timed;
  if (!prepared.has_threads()) first_call(prepared, round, trial);
  calibrate(timed, timed.threads != nullptr ? std::max(group_slice, options_.slice) : options_.slice);
  count(prepared, trial);
  timed.seconds_per_call.clear();
  timed.calls_made = 0;
  timed.error.clear();
}

/// The result of a round's slices.
void FunctionRunner::read_slices(const PreparedFunction& prepared, Trial& trial) const {
  const auto& timed = prepared.timed;
  trial.calls = static_cast<std::int64_t>(timed.calls_made);
  const auto& slices = timed.seconds_per_call;
  if (!timed.error.empty() || slices.empty()) {
    trial.outcome = timed.error.empty() ? Outcome::discarded : Outcome::failed;
    trial.detail = timed.error.empty() ? "no slice was run" : timed.error;
    return;
  }
  const double typical = stats::trimmed_mean(slices, 0.25), mean = stats::mean(slices);
  const double threads = static_cast<double>(std::max<std::size_t>(timed.of_threads.size(), 1));
  add(trial, MetricKind::time_per_call, typical);
  add(trial, MetricKind::mean_time_per_call, mean);
  const double amount = parts_.amount ? parts_.amount(prepared.setting) : 1;
  if (typical > 0) add(trial, MetricKind::throughput, threads * amount / typical);
}

void FunctionRunner::run_sampled(const Batch& batch, std::span<TimedFunction> playing,
                                 std::span<const std::pair<Trial*, PreparedFunction*>> of, double seconds) {
  SliceSampler sampler(engine::draw_sampling(sampling_, design_.rules.seed, batch), playing.size());
  run_blocks(playing, seconds, random_, &sampler);
  const auto sampled = sampler.results();
  for (std::size_t k = 0; k < playing.size(); ++k)
    samples_.take(*of[k].first, sampled[k].cpu, static_cast<double>(playing[k].calls_made), sampled[k].code);
}

CodeSampleLog FunctionRunner::code_samples() { return samples_.result(design_); }

std::vector<Trial> FunctionRunner::run(const Batch& batch, const std::stop_token& stop) {
  const double share = options_.budget / std::max(options_.rounds_max, 1);
  std::vector<Trial> trials;
  std::vector<TimedFunction> playing;
  std::vector<std::pair<Trial*, PreparedFunction*>> of;  // in the order of those that play
  trials.reserve(batch.cells.size());
  lay_out_anew(batch.cells);
  for (std::size_t i = 0; i < batch.cells.size(); ++i) {
    auto& trial = trials.emplace_back(Trial{.cell = batch.cells[i],
                                            .round = batch.round,
                                            .role = batch.role,
                                            .position = batch.position + static_cast<int>(i),
                                            .batch = batch.number});
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
      make_ready(its, batch.round, trial);
      playing.push_back(std::move(its.timed));
      of.emplace_back(&trial, &its);
    } catch (const Error&) {
      throw;
    } catch (...) {
      trial.outcome = Outcome::failed;
      trial.detail = rethrown_error();
    }
  }
  if (!playing.empty() && options_.sampling_period > 0 && batch.role == Role::measured)
    run_sampled(batch, playing, of, share);
  else if (!playing.empty())
    run_blocks(playing, share, random_);
  const auto& setting = design_.cells[batch.cells.front()].setting;
  auto& shared = inputs_.at(setting.text());
  shared.seconds_since += share;
  shared.slices += share;
  tell_what_takes_long(shared, setting);
  for (std::size_t k = 0; k < playing.size(); ++k) {
    of[k].second->timed = std::move(playing[k]);
    read_slices(*of[k].second, *of[k].first);
  }
  return trials;
}

}  // namespace assay::contest
