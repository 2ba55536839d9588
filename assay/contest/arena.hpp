#pragma once

#include <map>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "assay/contest/own_counters.hpp"
#include "assay/contest/parts.hpp"
#include "assay/contest/slices.hpp"
#include "assay/model/trial.hpp"

namespace assay::contest {

/// The metrics that a contest's rounds give, by their places in a record.
struct ContestMetrics {
  std::vector<Metric> metrics;
  std::vector<Demand> demands;
  std::optional<MetricId> find(const std::string& name) const;
};

/// Lays down a contest's metrics; what can't be measured here has its reason. Throws Error for a watched or
/// required metric that there is not.
ContestMetrics metrics_of(const Contest::Parts& parts, const Options& options, const OwnCounters& counters);

/// How a cell of a contest is played: which function, and for a twin, which copy of its code.
struct Player {
  std::size_t candidate = 0;
  int copy = 0;
  bool twin = false;
};

/// Where contests are played: the inputs of every setting, the functions made ready, the clock.
class Arena {
 public:
  /// `players`: one for each of the record's candidates. `cells` are the record's.
  Arena(const Contest::Parts& parts, const Options& options, std::vector<Player> players,
        std::vector<Cell> cells, ContestMetrics metrics, std::uint64_t seed);
  ~Arena();

  /// Calls a cell's function once and compares what it returns with the baseline's; a check. `took` is set to
  /// the seconds of the call.
  Trial check(CellId cell, std::optional<CellId> baseline, double& took);

  /// A Runner: the cells of one setting, in slices, for their share of the time.
  std::vector<Trial> play(const Heat& heat, const std::stop_token& stop);

 private:
  struct Seat;
  Seat& seat(CellId cell);
  void first_call(Seat& seat, int round, Trial& trial);
  void count(Seat& seat, Trial& trial);
  void add(Trial& trial, const std::string& name, double value) const;

  const Contest::Parts& parts_;
  const Options& options_;
  std::vector<Player> players_;
  std::vector<Cell> cells_;
  ContestMetrics metrics_;
  OwnCounters counters_;
  stats::Random random_;
  std::map<std::string, std::unique_ptr<Input>> inputs_;
  std::map<std::int64_t, std::unique_ptr<Team>> teams_;
  std::map<CellId, std::unique_ptr<Seat>> seats_;
};

}  // namespace assay::contest
