#include "assay/campaign/metrics.hpp"

#include <algorithm>
#include <array>
#include <set>
#include <string_view>

#include "assay/measure/group.hpp"
#include "assay/model/error.hpp"

namespace assay::campaign {
namespace {

using measure::Counter;
using namespace std::string_view_literals;

constexpr std::array counter_metrics = {
    std::pair{"instructions"sv, Counter::instructions},
    std::pair{"cycles"sv, Counter::cycles},
    std::pair{"branches"sv, Counter::branches},
    std::pair{"branch misses"sv, Counter::branch_misses},
    std::pair{"cache references"sv, Counter::cache_references},
    std::pair{"cache misses"sv, Counter::cache_misses},
    std::pair{"instructions per cycle"sv, Counter::cycles},
    std::pair{"branch miss rate"sv, Counter::branches},
    std::pair{"cache miss rate"sv, Counter::cache_references},
};

std::string why_missing(const std::string& name, const Plan& plan, const Offer& offer) {
  const bool abreast = plan.rounds.mode == PlannedRounds::Mode::abreast;
  if (abreast && !holds_abreast(name)) return "it can't be told of programs that share a core";
  const auto counter = std::ranges::find(counter_metrics, std::string_view(name),
                                         &std::pair<std::string_view, Counter>::first);
  if (counter != counter_metrics.end()) {
    if (abreast) return "counters are not read of programs that run abreast";
    if (std::ranges::count(offer.counters, counter->second) == 0)
      return "the kernel offers no such hardware counter here" +
             (offer.counting_problem.empty() ? "" : " (" + offer.counting_problem + ")");
  }
  if (name == "tree memory" && (offer.group_parent.empty() || abreast))
    return "no control group for a trial; peak memory is that of the largest process";
  if (name.starts_with("bytes ") && !offer.bytes) return "the kernel does not tell";
  const bool discarded =
      std::ranges::none_of(plan.workloads, [](const auto& w) { return w.control.keep_output; });
  if (name == "output bytes" && discarded) return "output is discarded";
  return {};
}

std::vector<Metric> all_metrics(const Plan& plan) {
  std::vector<Metric> all;
  for (const auto& metric : process_metrics()) {
    all.push_back(metric);
    if (metric.name != "cpu time") continue;
    std::set<std::string> units;
    for (const auto& workload : plan.workloads)
      if (!workload.work.amount.empty() && units.insert(workload.work.unit).second)
        all.push_back({.name = throughput_name(plan, workload.work),
                       .unit = workload.work.unit + "/s",
                       .prefer = Prefer::higher});
  }
  for (const auto& own : plan.metrics)
    if (!own.from.empty()) all.push_back(own.metric);
  return all;
}

}  // namespace

Offer what_is_offered(measure::Launcher& launcher) {
  Offer offer;
  measure::Command nothing{.program = measure::spinner_path(), .arguments = {"spin", "spin", "100000"}};
  nothing.counting = {Counter::instructions,  Counter::cycles,           Counter::branches,
                      Counter::branch_misses, Counter::cache_references, Counter::cache_misses};
  const auto result = launcher.run(nothing);
  for (const auto counter : nothing.counting)
    if (result.counts[static_cast<std::size_t>(counter)]) offer.counters.push_back(counter);
  offer.counting_problem = launcher.counting_problem();
  offer.bytes = result.bytes_read.has_value();
  offer.group_parent = measure::group_parent();
  return offer;
}

void lay_out_metrics(const Plan& plan, const Offer& offer, Record& record) {
  const bool abreast = plan.rounds.mode == PlannedRounds::Mode::abreast;
  const auto watch =
      !plan.watch.empty() ? plan.watch : std::vector<std::string>{abreast ? "cpu time" : "wall time"};
  for (auto& metric : all_metrics(plan)) {
    Demand demand{.missing = why_missing(metric.name, plan, offer)};
    demand.watched = std::ranges::any_of(watch, [&](const auto& name) {
      return metric.name == name || (name == "throughput" && metric.name.starts_with("throughput of "));
    });
    for (const auto& refined : plan.metrics)
      if (refined.metric.name == metric.name) {
        demand.margin = refined.margin;
        demand.ceiling = refined.ceiling;
        demand.require = refined.require;
        if (find_process_metric(metric.name) != nullptr) metric = refined.metric;
      }
    if (demand.watched && !demand.missing.empty())
      throw Error("\"" + metric.name + "\" can't be watched here: " + demand.missing, "plan.watch",
                  "watch another metric, or measure on another machine");
    record.metrics.push_back(std::move(metric));
    record.demands.push_back(std::move(demand));
  }
}

MetricIds::MetricIds(const Record& record) {
  for (std::size_t i = 0; i < record.metrics.size(); ++i)
    if (record.demands[i].missing.empty())
      ids_.emplace(record.metrics[i].name, MetricId{static_cast<std::int64_t>(i)});
}

std::optional<MetricId> MetricIds::find(const std::string& name) const {
  const auto found = ids_.find(name);
  return found == ids_.end() ? std::nullopt : std::optional(found->second);
}

std::string throughput_name(const Plan& plan, const Work& work) {
  std::set<std::string> units;
  for (const auto& workload : plan.workloads)
    if (!workload.work.amount.empty()) units.insert(workload.work.unit);
  return units.size() > 1 ? "throughput of " + work.unit : "throughput";
}

}  // namespace assay::campaign
