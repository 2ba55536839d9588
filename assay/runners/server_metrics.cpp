#include "assay/runners/server_metrics.hpp"

#include <algorithm>
#include <cmath>
#include <span>
#include <utility>

#include "assay/stats/location.hpp"
#include "assay/stats/log_histogram.hpp"

namespace assay::runners {

using metrics::MetricKind;

namespace {

/// Right replies a second. Of a rate that was not sustained while requests were due: until the last reply to
/// them came, it would be less the longer one of them was held up.
double rate_of(const LoadTotals& counts) {
  const auto right = static_cast<double>(counts.latencies.size());
  if (counts.sustained || !(counts.answered > 0)) return counts.seconds > 0 ? right / counts.seconds : 0;
  return counts.answered * right / (right + static_cast<double>(counts.failed));
}

/// What tells whether the load was what it was meant to be.
template <class Add>
void add_driving(const LoadTotals& counts, const Add& add) {
  const auto all = static_cast<double>(counts.latencies.size() + counts.failed);
  if (counts.offered > 0) add(MetricKind::sustained, counts.sustained ? 1 : rate_of(counts) / counts.offered);
  if (counts.offered > 0 && counts.sustained) {  // else all wait for all
    add(MetricKind::most_outstanding, static_cast<double>(counts.most_outstanding) /
                                          static_cast<double>(std::max<std::size_t>(counts.connections, 1)));
  }
  constexpr std::size_t enough_for_p99 = 1000;
  if (counts.late.size() >= enough_for_p99 && counts.sustained)
    add(MetricKind::send_delay, stats::quantile(counts.late, 0.99));
  if (counts.client_seconds > 0) add(MetricKind::clients_busy, counts.in_flight / counts.client_seconds);
  if (counts.seconds > 0) add(MetricKind::driver_busy, counts.driver_cpu / counts.seconds);
  if (counts.driver_shares_core) add(MetricKind::driver_cpu, counts.driver_cpu / all);
  add(MetricKind::connections_reopened, static_cast<double>(counts.reopened) / all);
  add(MetricKind::longest_connect, counts.longest_connect);
  constexpr double long_enough = 0.1;  // for the clock by which the kernel counts CPU time
  if (counts.rest_seconds > long_enough) add(MetricKind::cpu_at_rest, counts.rest_cpu / counts.rest_seconds);
  constexpr std::size_t enough_slices = 8;
  const auto& rates = counts.slice_rates;
  if (rates.size() >= enough_slices) {
    const auto late = rates.size() / 4;
    const std::span whole(rates);
    const double before = stats::median(whole.first(rates.size() - late));
    if (before > 0) add(MetricKind::late_rate, stats::median(whole.last(late)) / before);
  }
}

}  // namespace

void add_server_metrics(const LoadTotals& counts, std::optional<double> steady_rate,
                        const metrics::MetricIndex& ids, Trial& trial) {
  const auto add = [&](MetricKind metric, double value) {
    const auto id = ids.find(metric);
    if (id && std::isfinite(value)) trial.readings.push_back({*id, value});
  };
  const auto all = counts.latencies.size() + counts.failed;
  add(MetricKind::wall_time, counts.wall);
  add(MetricKind::cpu_time, counts.cpu);
  if (counts.start_seconds > 0) add(MetricKind::start_time, counts.start_seconds);
  if (counts.peak_memory > 0) add(MetricKind::server_memory, counts.peak_memory);
  if (all == 0) return;
  trial.calls = static_cast<std::int64_t>(all);
  add(MetricKind::failed_requests, 100.0 * static_cast<double>(counts.failed) / static_cast<double>(all));
  add(MetricKind::server_cpu, counts.cpu / static_cast<double>(all));
  if (counts.seconds > 0) add(MetricKind::request_rate, rate_of(counts));
  if (steady_rate) add(MetricKind::steady_rate, *steady_rate);
  add_driving(counts, add);
  if (!counts.sustained) return;
  stats::LogHistogram histogram;
  for (const double latency : counts.latencies) histogram.add(latency);
  trial.latencies = histogram.text();
  auto sorted = counts.latencies;
  std::ranges::sort(sorted);
  constexpr double fewest_above = 10;
  for (const auto& [metric, p] : {std::pair{MetricKind::latency_p50, 0.5},
                                  {MetricKind::latency_p90, 0.9},
                                  {MetricKind::latency_p99, 0.99},
                                  {MetricKind::latency_p999, 0.999}}) {
    if (static_cast<double>(all) * (1 - p) < fewest_above - 1e-9) continue;
    const auto rank = static_cast<std::size_t>(std::ceil(p * static_cast<double>(all)));  // the nearest rank
    if (rank >= 1 && rank <= sorted.size()) add(metric, sorted[rank - 1]);
  }
  if (counts.failed == 0) add(MetricKind::latency_max, sorted.back());
}

std::vector<std::optional<double>> polished_rates(const std::vector<const LoadTotals*>& servers) {
  std::vector<std::optional<double>> rates(servers.size());
  if (servers.empty()) return rates;
  const auto passes = servers.front()->slice_rates.size();
  const bool alike = std::ranges::all_of(servers, [&](const LoadTotals* server) {
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

}  // namespace assay::runners
