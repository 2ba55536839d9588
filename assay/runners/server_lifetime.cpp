#include "assay/runners/server_lifetime.hpp"

#include <fmt/format.h>

#include <algorithm>

#include "assay/measure/machine.hpp"

namespace assay::runners {
namespace {

std::string spoken_time(double seconds) {
  constexpr double minute = 60, long_enough = 120, two_digits = 10;
  if (seconds >= long_enough) return fmt::format("{:.0f} min", seconds / minute);
  return seconds >= two_digits ? fmt::format("{:.0f} s", seconds) : fmt::format("{:.2g} s", seconds);
}

std::string spoken_memory(double bytes) {
  constexpr double mebi = 1048576, gibi = 1024 * mebi;
  return bytes >= gibi ? fmt::format("{:.1f} GiB", bytes / gibi) : fmt::format("{:.0f} MiB", bytes / mebi);
}

constexpr double most_of_memory = 0.8, long_start = 10;
constexpr int usual_rounds = 8;  // seven, and the warm-up

}  // namespace

ServerLifetimes::ServerLifetimes(const std::map<CellId, ServerCell>& cells, const Design& design,
                                 const Log& log)
    : design_(design) {
  for (const auto& [id, cell] : cells) {
    auto& group = groups_[key_of(id)];
    group.keep = cell.keep;
    group.kept = cell.keep == ServerLifetime::automatic ? ServerLifetime::round : cell.keep;
    group.count = cell.count;
  }
  for (const auto& trial : log.trials) {
    const auto cell = cells.find(trial.cell);
    if (cell == cells.end() || cell->second.count > 0 || trial.role == Role::check || trial.calls <= 1)
      continue;
    groups_[key_of(trial.cell)].count = static_cast<std::size_t>(trial.calls);
  }
}

ServerLifetimes::Key ServerLifetimes::key_of(CellId cell) const {
  return {design_.cells[cell].workload, design_.cells[cell].setting.text()};
}

std::optional<std::size_t> ServerLifetimes::count(CellId cell) const {
  const auto count = groups_.at(key_of(cell)).count;
  return count > 0 ? std::optional(count) : std::nullopt;
}

void ServerLifetimes::set_rate(CellId cell, double rate) {
  constexpr double rounds = 20, least = 0.2, most = 1;
  double seconds = most;
  if (const auto budget = design_.rules.budget_ms)
    seconds =
        std::clamp(static_cast<double>(*budget) / 1000 / rounds / static_cast<double>(design_.cells.size()),
                   least, most);
  groups_.at(key_of(cell)).count = rounded_request_count(seconds * rate);
}

void ServerLifetimes::record_check(CellId cell, double start_seconds, double load_seconds, double memory) {
  auto& group = groups_.at(key_of(cell));
  ++group.servers;
  group.start_seconds += start_seconds;
  group.load_seconds += load_seconds;
  group.memory += memory;
  available_ = measure::memory_available();
  for (auto& [key, other] : groups_) other.kept = choose_lifetime(other);
}

ServerLifetime ServerLifetimes::choose_lifetime(const Group& group) const {
  if (group.keep != ServerLifetime::automatic) return group.keep;
  if (available_ > 0 && group.memory > most_of_memory * available_) return ServerLifetime::trial;
  if (group.start_seconds <= long_start * group.load_seconds) return ServerLifetime::round;
  if (design_.rules.layouts > 0) return ServerLifetime::round;  // each has another layout
  double all = 0;
  for (const auto& [key, other] : groups_) all += usual_rounds * (other.start_seconds + other.load_seconds);
  constexpr double long_time = 60, share = 0.5;
  const auto budget = design_.rules.budget_ms;
  return all > (budget ? share * static_cast<double>(*budget) / 1000 : long_time) ? ServerLifetime::session
                                                                                  : ServerLifetime::round;
}

std::map<WorkloadId, std::string> ServerLifetimes::decisions() const {
  std::map<WorkloadId, std::string> texts;
  for (const auto& [key, group] : groups_) {
    if (group.keep != ServerLifetime::automatic || group.servers == 0) continue;
    if (group.kept == ServerLifetime::trial)
      texts[key.first] = fmt::format(
          "its servers together take {}, and {} are free: each runs alone, in a stretch of its own",
          spoken_memory(group.memory), spoken_memory(available_));
    else if (group.kept == ServerLifetime::session)
      texts[key.first] = fmt::format(
          "starting its servers takes {} and a round's load {}: they are kept up, and what differs from "
          "start to start is not averaged out (keep = \"round\" restarts them: {} rounds take {})",
          spoken_time(group.start_seconds), spoken_time(group.load_seconds), usual_rounds,
          spoken_time(usual_rounds * (group.start_seconds + group.load_seconds)));
  }
  return texts;
}

}  // namespace assay::runners
