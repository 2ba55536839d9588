#pragma once

#include <cstddef>
#include <map>
#include <optional>
#include <string>
#include <utility>

#include "assay/model/design.hpp"
#include "assay/model/log.hpp"
#include "assay/runners/server_session.hpp"

namespace assay::runners {

/// What the servers of a workload and setting have in common, beyond the plan: how many requests a trial has,
/// and how long they live, where the plan leaves that open. Known from their checks; requests also by the
/// trials that the log has already.
class ServerLifetimes {
 public:
  /// REQUIRES: `design` outlives it.
  ServerLifetimes(const std::map<CellId, ServerCell>& cells, const Design& design, const Log& log);

  /// Requests of a trial; empty where that is not known yet.
  std::optional<std::size_t> count(CellId cell) const;
  /// That this many requests are answered in a second: a trial has as many as take that long, or less where
  /// the budget is short of rounds of a second for each cell.
  void set_rate(CellId cell, double rate);

  /// A check's start-up and load, in seconds, and the memory of its server, which has ended.
  void record_check(CellId cell, double start_seconds, double load_seconds, double memory);
  /// As the checks so far have it: it does not change once they are over, whatever the machine does then.
  ServerLifetime lifetime(CellId cell) const { return groups_.at(key_of(cell)).kept; }

  /// Why servers that the plan leaves open are not restarted for each round, by workload.
  std::map<WorkloadId, std::string> decisions() const;

 private:
  struct Group {
    ServerLifetime keep = ServerLifetime::automatic;  ///< as the plan has it
    ServerLifetime kept = ServerLifetime::round;      ///< in effect
    std::size_t count = 0, servers = 0;
    double start_seconds = 0, load_seconds = 0, memory = 0;
  };
  using Key = std::pair<WorkloadId, std::string>;
  Key key_of(CellId cell) const;
  /// Kept up where starting takes far longer than the load, and fresh starts would take more than half of the
  /// budget (without one: a minute), unless rounds have layouts of their own.
  ServerLifetime choose_lifetime(const Group& group) const;

  const Design& design_;
  std::map<Key, Group> groups_;
  double available_ = 0;  ///< bytes of memory, at the last check
};

}  // namespace assay::runners
