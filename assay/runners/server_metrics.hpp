#pragma once

#include <cstddef>
#include <optional>
#include <vector>

#include "assay/metrics/catalogue.hpp"
#include "assay/model/log.hpp"

namespace assay::runners {

/// What a trial of a server came to.
struct LoadTotals {
  std::vector<double> latencies;    ///< seconds, of the requests that were answered rightly
  std::size_t failed = 0;           ///< that were not
  std::vector<double> slice_rates;  ///< right replies a second, by slice
  double seconds = 0;               ///< of load
  double cpu = 0;                   ///< seconds that the server used meanwhile
  double start_seconds = 0;         ///< until it was ready
  double peak_memory = 0;           ///< bytes
  double wall = 0;                  ///< seconds that its part of the round took in all
  double offered = 0;               ///< requests a second of an open loop; 0: closed
  bool sustained = true;            ///< the rate of an open loop
  double answered = 0;              ///< requests a second while they were due, where it was not
  double in_flight = 0;             ///< request-seconds: how many were under way, over time
  double client_seconds = 0;        ///< for which clients of a closed loop might have had one under way
  double driver_cpu = 0;            ///< seconds that sending and receiving took
  bool driver_shares_core = false;  ///< on cores that are the server's too
  std::vector<double> late;         ///< seconds by which requests of an open loop were sent late
  std::size_t reopened = 0;         ///< connections
  double longest_connect = 0;       ///< seconds
  std::size_t most_outstanding = 0, connections = 0;  ///< of an open loop
  double rest_seconds = 0, rest_cpu = 0;              ///< between slices, and what the server used then
};

/// Adds a service's readings to its trial. `steady_rate`: see polished_rates(); none where it is unknown. A
/// quantile of the latencies, with the failed requests as the slowest, is left out where fewer than ten
/// replies lie above it, or it is a failed one; all are of a rate that was not sustained, since they tell how
/// long the load lasted.
void add_server_metrics(const LoadTotals& counts, std::optional<double> steady_rate,
                        const metrics::MetricIndex& ids, Trial& trial);

/// The rate of each of several servers that took turns in slices, cleaned of what all had in common in each
/// pass: the median polish of the logarithms (stats/median_polish.hpp) over passes and servers. Of servers
/// with other numbers of slices, and with a slice without a right reply, each one's median. Empty where a
/// server has none.
std::vector<std::optional<double>> polished_rates(const std::vector<const LoadTotals*>& servers);

}  // namespace assay::runners
