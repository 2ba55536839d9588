#include "assay/campaign/load_readings.hpp"

#include <algorithm>
#include <cmath>
#include <span>
#include <utility>

#include "assay/stats/location.hpp"
#include "assay/stats/log_histogram.hpp"
#include "assay/stats/median_polish.hpp"

namespace assay::inline v1::campaign {

using metrics::Known;

namespace {

/// Right replies a second. Of a rate that was not sustained while requests were due: until the last reply to
/// them came, it would be less the longer one of them was held up.
double rate_of(const LoadCounts& counts) {
  const auto right = static_cast<double>(counts.latencies.size());
  if (counts.sustained || !(counts.answered > 0)) return counts.seconds > 0 ? right / counts.seconds : 0;
  return counts.answered * right / (right + static_cast<double>(counts.failed));
}

/// What tells whether the load was what it was meant to be.
template <class Add>
void add_driving(const LoadCounts& counts, const Add& add) {
  const auto all = static_cast<double>(counts.latencies.size() + counts.failed);
  if (counts.offered > 0) add(Known::sustained, counts.sustained ? 1 : rate_of(counts) / counts.offered);
  if (counts.offered > 0 && counts.sustained) {  // else all wait for all
    add(Known::most_outstanding, static_cast<double>(counts.most_outstanding) /
                                     static_cast<double>(std::max<std::size_t>(counts.connections, 1)));
  }
  constexpr std::size_t enough_for_p99 = 1000;
  if (counts.late.size() >= enough_for_p99 && counts.sustained)
    add(Known::send_delay, stats::quantile(counts.late, 0.99));
  if (counts.client_seconds > 0) add(Known::clients_busy, counts.in_flight / counts.client_seconds);
  if (counts.seconds > 0) add(Known::driver_busy, counts.driver_cpu / counts.seconds);
  if (counts.driver_beside) add(Known::driver_cpu, counts.driver_cpu / all);
  add(Known::connections_reopened, static_cast<double>(counts.reopened) / all);
  add(Known::longest_connect, counts.longest_connect);
  constexpr double long_enough = 0.1;  // for the clock by which the kernel counts CPU time
  if (counts.rest_seconds > long_enough) add(Known::cpu_at_rest, counts.rest_cpu / counts.rest_seconds);
  constexpr std::size_t enough_slices = 8;
  const auto& rates = counts.slice_rates;
  if (rates.size() >= enough_slices) {
    const auto late = rates.size() / 4;
    const std::span whole(rates);
    const double before = stats::median(whole.first(rates.size() - late));
    if (before > 0) add(Known::late_rate, stats::median(whole.last(late)) / before);
  }
}

}  // namespace

void add_load_readings(const LoadCounts& counts, std::optional<double> steady_rate, const metrics::Index& ids,
                       Trial& trial) {
  const auto add = [&](Known metric, double value) {
    const auto id = ids.find(metric);
    if (id && std::isfinite(value)) trial.readings.push_back({*id, value});
  };
  const auto all = counts.latencies.size() + counts.failed;
  add(Known::wall_time, counts.wall);
  add(Known::cpu_time, counts.cpu);
  if (counts.start_seconds > 0) add(Known::start_time, counts.start_seconds);
  if (counts.peak_memory > 0) add(Known::server_memory, counts.peak_memory);
  if (all == 0) return;
  trial.calls = static_cast<std::int64_t>(all);
  add(Known::failed_requests, 100.0 * static_cast<double>(counts.failed) / static_cast<double>(all));
  add(Known::server_cpu, counts.cpu / static_cast<double>(all));
  if (counts.seconds > 0) add(Known::request_rate, rate_of(counts));
  if (steady_rate) add(Known::steady_rate, *steady_rate);
  add_driving(counts, add);
  if (!counts.sustained) return;
  stats::LogHistogram histogram;
  for (const double latency : counts.latencies) histogram.add(latency);
  trial.latencies = histogram.text();
  auto sorted = counts.latencies;
  std::ranges::sort(sorted);
  constexpr double fewest_above = 10;
  for (const auto& [metric, p] : {std::pair{Known::latency_p50, 0.5},
                                  {Known::latency_p90, 0.9},
                                  {Known::latency_p99, 0.99},
                                  {Known::latency_p999, 0.999}}) {
    if (static_cast<double>(all) * (1 - p) < fewest_above - 1e-9) continue;
    const auto rank = static_cast<std::size_t>(std::ceil(p * static_cast<double>(all)));  // the nearest rank
    if (rank >= 1 && rank <= sorted.size()) add(metric, sorted[rank - 1]);
  }
  if (counts.failed == 0) add(Known::latency_max, sorted.back());
}

std::vector<std::optional<double>> steady_rates(const std::vector<const LoadCounts*>& servers) {
  std::vector<std::optional<double>> rates(servers.size());
  if (servers.empty()) return rates;
  const auto passes = servers.front()->slice_rates.size();
  const bool alike = std::ranges::all_of(servers, [&](const LoadCounts* server) {
    return server->slice_rates.size() == passes &&
           std::ranges::all_of(server->slice_rates, [](double rate) { return rate > 0; });
  });
  if (alike && passes > 0) {
    std::vector<std::vector<double>> table(passes);
    for (std::size_t pass = 0; pass < passes; ++pass)
      for (const auto* server : servers) table[pass].push_back(std::log(server->slice_rates[pass]));
    const auto polish = stats::median_polish(table);
    for (std::size_t i = 0; i < servers.size(); ++i) rates[i] = std::exp(polish.overall + polish.columns[i]);
    return rates;
  }
  for (std::size_t i = 0; i < servers.size(); ++i)
    if (!servers[i]->slice_rates.empty() && stats::median(servers[i]->slice_rates) > 0)
      rates[i] = stats::median(servers[i]->slice_rates);
  return rates;
}

}  // namespace assay::inline v1::campaign
