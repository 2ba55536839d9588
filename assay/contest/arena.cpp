#include "assay/contest/arena.hpp"

#include <algorithm>
#include <chrono>
#include <cmath>

#include "assay/contest/allocations.hpp"
#include "assay/contest/clock.hpp"
#include "assay/model/error.hpp"
#include "assay/stats/location.hpp"

namespace assay::contest {
namespace {

constexpr double team_slice = 2e-3;  // waking threads takes tens of microseconds

double seconds_now() {
  return std::chrono::duration<double>(std::chrono::steady_clock::now().time_since_epoch()).count();
}

std::int64_t threads_of(const Setting& setting) {
  return setting.levels.contains("threads") ? setting.integer("threads") : 1;
}

/// What went wrong, from within a catch block.
std::string what_was_thrown() {
  try {
    throw;
  } catch (const std::exception& thrown) {
    return std::string("it threw: ") + thrown.what();
  } catch (...) {
    return "it threw something that is no std::exception";
  }
}

}  // namespace

/// A cell that is being played.
struct Arena::Seat {
  Setting setting;
  const Callable* pristine = nullptr;
  std::unique_ptr<Callable> steady;
  Contender contender;
  Answer answer;
  bool first_calls = true;  ///< worth their time

  void* one_input() const {
    return steady->consumes() ? contender.input->copies(1) : const_cast<void*>(contender.input->shared());
  }
};

Arena::Arena(const Contest::Parts& parts, const Options& options, std::vector<Player> players,
             std::vector<Cell> cells, ContestMetrics metrics, std::uint64_t seed)
    : parts_(parts),
      options_(options),
      players_(std::move(players)),
      cells_(std::move(cells)),
      metrics_(std::move(metrics)),
      random_(seed, 1) {}

Arena::~Arena() = default;

Arena::Seat& Arena::seat(CellId id) {
  auto& place = seats_[id];
  if (place) return *place;
  place = std::make_unique<Seat>();
  const auto& cell = cells_[id.place()];
  const auto& player = players_[cell.candidate.place()];
  place->setting = cell.setting;
  place->pristine = parts_.candidates[player.candidate].callable.get();
  place->steady = place->pristine->fresh();
  auto& input = inputs_[cell.setting.text()];
  if (!input)
    input = parts_.make_input ? parts_.make_input(cell.setting)
                              : std::make_unique<TypedInput<Nothing>>([] { return Nothing{}; });
  auto& contender = place->contender;
  contender.callable = place->steady.get();
  contender.input = input.get();
  contender.copy = player.copy;
  contender.every = player.twin ? 4 : 1;
  if (const auto threads = threads_of(cell.setting); threads > 1) {
    auto& team = teams_[threads];
    if (!team) team = std::make_unique<Team>(static_cast<std::size_t>(threads));
    contender.team = team.get();
    for (std::int64_t i = 0; i < threads; ++i) contender.of_threads.push_back(place->pristine->fresh());
  }
  return *place;
}

Trial Arena::check(CellId id, std::optional<CellId> baseline, double& took) {
  Trial trial{.cell = id, .role = Role::check};
  try {
    auto& mine = seat(id);
    void* input = mine.one_input();
    const double start = seconds_now();
    mine.answer = mine.steady->answer(input);
    took = seconds_now() - start;
    if (baseline) {
      const auto wrong = disagreement(parts_, seat(*baseline).answer, mine.answer);
      if (!wrong.empty()) {
        trial.outcome = Outcome::wrong;
        trial.detail = wrong;
      }
    }
  } catch (...) {
    trial.outcome = Outcome::failed;
    trial.detail = what_was_thrown();
  }
  return trial;
}

void Arena::add(Trial& trial, const std::string& name, double value) const {
  if (const auto id = metrics_.find(name); id && std::isfinite(value)) trial.readings.push_back({*id, value});
}

/// The first call of a copy that was never called, with the clock's cost taken off.
void Arena::first_call(Seat& seat, int round, Trial& trial) {
  constexpr int rounds_of_slow_ones = 13;
  if (!seat.first_calls && round > rounds_of_slow_ones) return;
  const auto fresh = seat.pristine->fresh();
  Contender once{.callable = fresh.get(), .input = seat.contender.input, .copy = seat.contender.copy};
  const double took = time_slice(once, 1);
  const double share = options_.budget / std::max(options_.rounds_max, 1);
  seat.first_calls = seat.first_calls && took < 0.1 * share;
  if (took > 0) add(trial, "first call", took);
}

/// A slice that is not timed: with the kernel's counters on, and one call with allocations counted.
void Arena::count(Seat& seat, Trial& trial) {
  if (start_counting_allocations()) {
    stop_counting_allocations();  // the first time may allocate by itself
    void* input = seat.one_input();
    auto* function = seat.steady->function();
    const auto slice = seat.steady->slice(seat.contender.copy);
    start_counting_allocations();
    slice(function, input, 1);
    const auto counted = stop_counting_allocations();
    add(trial, "allocations", static_cast<double>(counted.calls));
    add(trial, "allocated bytes", static_cast<double>(counted.bytes));
    add(trial, "peak allocated", static_cast<double>(counted.peak));
  }
  if (!counters_.offers(measure::Counter::instructions) || seat.contender.team != nullptr) return;
  const auto calls = seat.contender.calls;
  counters_.start();
  time_slice(seat.contender, calls);
  const auto counts = counters_.stop();
  const auto per_call = [&](const char* name, measure::Counter counter) {
    if (const auto& count = counts[static_cast<std::size_t>(counter)])
      add(trial, name, *count / static_cast<double>(calls));
  };
  per_call("instructions", measure::Counter::instructions);
  per_call("cycles", measure::Counter::cycles);
  per_call("branch misses", measure::Counter::branch_misses);
  per_call("cache misses", measure::Counter::cache_misses);
}

std::vector<Trial> Arena::play(const Heat& heat, const std::stop_token& stop) {
  std::vector<Trial> trials;
  std::vector<Seat*> seats;
  for (std::size_t i = 0; i < heat.cells.size(); ++i) {
    trials.push_back({.cell = heat.cells[i],
                      .round = heat.round,
                      .role = heat.role,
                      .position = heat.position + static_cast<int>(i),
                      .heat = heat.number});
    seats.push_back(&seat(heat.cells[i]));
    if (stop.stop_requested()) trials.back().outcome = Outcome::interrupted;
  }
  std::vector<Contender> playing;
  std::vector<std::size_t> places;
  for (std::size_t i = 0; i < trials.size(); ++i) {
    if (trials[i].outcome != Outcome::ok) continue;
    try {
      auto& contender = seats[i]->contender;
      if (contender.calls == 0)
        calibrate(contender,
                  contender.team != nullptr ? std::max(team_slice, options_.slice) : options_.slice);
      if (contender.team == nullptr) first_call(*seats[i], heat.round, trials[i]);
      count(*seats[i], trials[i]);
      contender.seconds_per_call.clear();
      contender.calls_made = 0;
      playing.push_back(std::move(contender));
      places.push_back(i);
    } catch (...) {
      trials[i].outcome = Outcome::failed;
      trials[i].detail = what_was_thrown();
    }
  }
  std::string thrown;
  try {
    if (!playing.empty()) run_blocks(playing, options_.budget / std::max(options_.rounds_max, 1), random_);
  } catch (...) {
    thrown = what_was_thrown();
  }
  for (std::size_t k = 0; k < playing.size(); ++k) {
    auto& trial = trials[places[k]];
    auto& contender = seats[places[k]]->contender = std::move(playing[k]);
    trial.calls = static_cast<std::int64_t>(contender.calls_made);
    const auto& slices = contender.seconds_per_call;
    if (!thrown.empty() || slices.empty()) {
      trial.outcome = thrown.empty() ? Outcome::voided : Outcome::failed;
      trial.detail = thrown.empty() ? "no slice was run" : thrown;
      continue;
    }
    const double typical = stats::trimmed_mean(slices, 0.25), mean = stats::mean(slices);
    const double threads = static_cast<double>(std::max<std::size_t>(contender.of_threads.size(), 1));
    add(trial, "time per call", typical);
    add(trial, "mean time per call", mean);
    const double amount = parts_.amount ? parts_.amount(seats[places[k]]->setting) : 1;
    if (typical > 0) add(trial, "throughput", threads * amount / typical);
  }
  return trials;
}

std::optional<MetricId> ContestMetrics::find(const std::string& name) const {
  const auto found = std::ranges::find(metrics, name, &Metric::name);
  const auto place = found - metrics.begin();
  if (found == metrics.end() || !demands[static_cast<std::size_t>(place)].missing.empty()) return {};
  return MetricId{place};
}

ContestMetrics metrics_of(const Contest::Parts& parts, const Options& options, const OwnCounters& counters) {
  ContestMetrics all;
  const auto add_metric = [&](Metric metric, std::string missing = {}) {
    all.metrics.push_back(std::move(metric));
    all.demands.push_back({.missing = std::move(missing)});
  };
  add_metric({.name = "time per call", .unit = "s"});
  add_metric({.name = "mean time per call", .unit = "s", .supporting = true});
  add_metric({.name = "first call", .unit = "s", .supporting = true});
  const bool has_threads = std::ranges::count(parts.factors, Factor::Role::threads, &Factor::role) > 0;
  if (parts.amount || has_threads)
    add_metric({.name = "throughput",
                .unit = (parts.unit.empty() ? "calls" : parts.unit) + "/s",
                .prefer = Prefer::higher});
  const bool counted = start_counting_allocations();
  if (counted) stop_counting_allocations();
  const std::string unlinked = counted ? "" : "link assay::allocations to have them counted";
  add_metric({.name = "allocations", .exact = true}, unlinked);
  add_metric({.name = "allocated bytes", .unit = "B", .exact = true}, unlinked);
  add_metric({.name = "peak allocated", .unit = "B", .exact = true}, unlinked);
  const std::string uncounted =
      counters.offers(measure::Counter::instructions)
          ? ""
          : "the kernel offers no such hardware counter here (" + counters.problem() + ")";
  for (const auto* name : {"instructions", "cycles", "branch misses", "cache misses"})
    add_metric({.name = name, .supporting = true}, uncounted);
  const auto demand_of = [&](const std::string& name) -> Demand& {
    const auto found = std::ranges::find(all.metrics, name, &Metric::name);
    if (found == all.metrics.end())
      throw Error("a contest has no metric \"" + name + "\"", "contest \"" + parts.title + "\"",
                  "there are time per call, mean time per call, first call, throughput and allocations");
    auto& demand = all.demands[static_cast<std::size_t>(found - all.metrics.begin())];
    if (!demand.missing.empty())
      throw Error("\"" + name + "\" can't be had here: " + demand.missing, "contest \"" + parts.title + "\"");
    return demand;
  };
  for (const auto& name : options.watch) demand_of(name).watched = true;
  for (const auto& [name, requirement] : parts.requirements) demand_of(name).require = requirement;
  return all;
}

}  // namespace assay::contest
