#include "assay/runners/capabilities.hpp"

#include <algorithm>
#include <set>

#include "assay/measure/cgroup.hpp"
#include "assay/metrics/catalogue.hpp"
#include "assay/model/error.hpp"

namespace assay::runners {
namespace {

using measure::Counter;
using metrics::MetricKind;
using metrics::Needs;

/// The counter that a metric is read from, or the scarcer of two.
Counter counter_of(MetricKind metric) {
  switch (metric) {
    case MetricKind::cycles:
    case MetricKind::instructions_per_cycle:
      return Counter::cycles;
    case MetricKind::branches:
    case MetricKind::branch_miss_rate:
      return Counter::branches;
    case MetricKind::branch_misses:
      return Counter::branch_misses;
    case MetricKind::cache_references:
    case MetricKind::cache_miss_rate:
      return Counter::cache_references;
    case MetricKind::cache_misses:
      return Counter::cache_misses;
    default:
      return Counter::instructions;
  }
}

/// Why a metric of Assay's own can't be had of these programs here; empty when it can.
std::string why_unavailable(const metrics::MetricInfo& row, const Plan& plan, const Capabilities& offer) {
  const bool abreast = plan.rounds.mode == Way::abreast;
  if (!metrics::is_measured(row, plan.rounds.mode))
    return abreast ? "programs that share a core have none of their own" : "each slice ends with a switch";
  switch (row.needs) {
    case Needs::counters:
      if (abreast) return "counters are not read of programs that run abreast";
      if (std::ranges::count(offer.counters, counter_of(row.id)) == 0)
        return "the kernel offers no such hardware counter here" +
               (offer.counting_problem.empty() ? "" : " (" + offer.counting_problem + ")");
      return {};
    case Needs::control_group:
      if (!offer.groups.accounts_memory || abreast)
        return "no control group for a trial; peak memory is that of the largest process";
      return {};
    case Needs::io_accounting:
      return offer.bytes ? "" : "the kernel does not tell";
    case Needs::output:
      return std::ranges::none_of(plan.workloads, [](const auto& w) { return w.control.keep_output; })
                 ? "output is discarded"
                 : "";
    case Needs::nothing:
    case Needs::requests:
    case Needs::work:
    case Needs::calls:
    case Needs::allocator:
      return {};
  }
  return {};
}

bool has_services(const Plan& plan) {
  return std::ranges::any_of(plan.workloads, [](const auto& w) { return w.service.has_value(); });
}

/// What is watched where the plan does not say: of programs the time they take, of closed loops the rate of
/// requests, of open ones how long replies take.
std::vector<std::string> usual_watch(const Plan& plan) {
  std::vector<std::string> watch;
  const auto add = [&](MetricKind metric) {
    const auto& name = metrics::name_of(metric);
    if (std::ranges::count(watch, name) == 0) watch.push_back(name);
  };
  for (const auto& workload : plan.workloads) {
    if (!workload.contest.empty()) continue;  // what its functions are timed by is known when it has run
    if (!workload.service || !workload.requests) {
      add(plan.rounds.mode == Way::abreast ? MetricKind::cpu_time : MetricKind::wall_time);
    } else if (!workload.requests->clients.empty()) {
      add(MetricKind::steady_rate);
    } else {
      add(MetricKind::latency_p50);
      constexpr int enough_for_p99 = 1000;
      const int count = workload.requests->count;
      if (count == 0 || count >= enough_for_p99) add(MetricKind::latency_p99);
      add(MetricKind::request_rate);
    }
    if (workload.requests) add(MetricKind::failed_requests);
  }
  return watch;
}

/// Assay's own metrics, throughput once for each unit of work, and the plan's.
std::vector<Metric> all_metrics(const Plan& plan, const Capabilities& offer) {
  std::vector<Metric> all;
  for (const auto& row : metrics::catalogue()) {
    if (!row.of_programs || (row.needs == Needs::requests && !has_services(plan))) continue;
    std::vector<Metric> of_row;
    std::set<std::string> units;
    if (row.needs == Needs::work) {
      for (const auto& workload : plan.workloads)
        if (!workload.work.amount.empty() && units.insert(workload.work.unit).second) {
          of_row.push_back(row.metric);
          of_row.back().name = throughput_name(plan, workload.work);
          of_row.back().unit = workload.work.unit + "/s";
        }
    } else {
      of_row.push_back(row.metric);
    }
    for (auto& metric : of_row) {
      metric.request.missing = why_unavailable(row, plan, offer);
      all.push_back(std::move(metric));
    }
  }
  for (const auto& own : plan.metrics)
    if (!own.from.empty()) all.push_back(own.metric);
  return all;
}

}  // namespace

Capabilities detect_capabilities(measure::Launcher& launcher) {
  Capabilities offer;
  measure::Command nothing{.program = measure::calibration_program(),
                           .arguments = {"spin", "spin", "100000"}};
  nothing.counting = {Counter::instructions,  Counter::cycles,           Counter::branches,
                      Counter::branch_misses, Counter::cache_references, Counter::cache_misses};
  const auto result = launcher.run(nothing);
  for (const auto counter : nothing.counting)
    if (result.counts[static_cast<std::size_t>(counter)]) offer.counters.push_back(counter);
  offer.counting_problem = launcher.counting_problem();
  offer.bytes = result.bytes_read.has_value();
  offer.groups = measure::find_cgroup_parent();
  return offer;
}

IdTable<MetricId, Metric> select_metrics(const Plan& plan, const Capabilities& offer) {
  const bool abreast = plan.rounds.mode == Way::abreast;
  const auto watch = plan.watch.empty() ? usual_watch(plan) : plan.watch;
  const bool any_program =
      std::ranges::any_of(plan.workloads, [](const auto& w) { return !w.requests && w.contest.empty(); });
  const bool both_times = plan.watch.empty() && !abreast && any_program;
  IdTable<MetricId, Metric> table;
  for (auto& metric : all_metrics(plan, offer)) {
    auto& demand = metric.request;
    demand.watched = std::ranges::any_of(watch, [&](const auto& name) {
      const auto* row = metrics::find_metric_info(name);
      return metric.name == name ||
             (row != nullptr && row->metric.name == name && metrics::is_kind(metric, row->id));
    });
    if (metrics::is_kind(metric, MetricKind::failed_requests)) demand.margin = 0.1;  // points
    if (both_times && metrics::is_kind(metric, MetricKind::cpu_time))
      demand.watched = metric.supporting = true;
    for (const auto& refined : plan.metrics)
      if (refined.metric.name == metric.name) {
        auto asked = refined.metric.request;
        asked.watched = demand.watched;
        asked.missing = demand.missing;
        const auto* row = metrics::find_metric_info(metric.name);
        if (row != nullptr && row->needs != Needs::work && refined.from.empty()) metric = refined.metric;
        demand = asked;
      }
    if (demand.watched && !demand.missing.empty())
      throw Error("\"" + metric.name + "\" can't be watched here: " + demand.missing, "plan.watch",
                  "watch another metric, or measure on another machine");
    table.add(std::move(metric));
  }
  return table;
}

std::string throughput_name(const Plan& plan, const Work& work) {
  const auto& name = metrics::name_of(MetricKind::throughput);
  std::set<std::string> units;
  for (const auto& workload : plan.workloads)
    if (!workload.work.amount.empty()) units.insert(workload.work.unit);
  return units.size() > 1 ? name + " of " + work.unit : name;
}

}  // namespace assay::runners
