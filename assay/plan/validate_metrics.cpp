#include <algorithm>
#include <iterator>
#include <string>
#include <vector>

#include "assay/check/extract.hpp"
#include "assay/metrics/catalogue.hpp"
#include "assay/model/text.hpp"
#include "assay/plan/plan_error.hpp"

namespace assay::plan {
namespace {

/// Whether every run of a program tells this metric, so that no plan can define it.
bool is_built_in(const std::string& name) {
  const auto* row = metrics::find_metric_info(name);
  return row != nullptr && row->of_programs && row->needs != metrics::Needs::work;
}

void check_own(const Plan& plan, const PlanErrors& refusal) {
  std::vector<Metric> named;
  for (const auto& metric : plan.metrics) named.push_back(metric.metric);
  refusal.names(named, "metric");
  const auto workloads = refusal.names(plan.workloads, "workload");
  for (std::size_t i = 0; i < plan.metrics.size(); ++i) {
    const auto& metric = plan.metrics[i];
    const auto path = entry("metric", i);
    if (metric.metric.request.margin &&
        !(*metric.metric.request.margin > 0 && *metric.metric.request.margin < 10))
      refusal.fail(path + ".margin", "the margin must be above 0 % and below 1000 %",
                   "write it like \"1 %\"");
    if (metric.from.empty() && !metric.metric.request.lead_in.none())
      refusal.fail(path + ".lead_in",
                   "\"" + metric.metric.name + "\" has one value a trial, none of which is left out",
                   "lead_in is for metrics that a trial writes many values of");
    if (is_built_in(metric.metric.name)) {
      if (!metric.from.empty())
        refusal.fail(path + ".from", "\"" + metric.metric.name + "\" is measured by Assay itself",
                     "leave from out to refine it, or choose another name");
      continue;
    }
    if (metric.from.empty() && metrics::find_metric_info(metric.metric.name) != nullptr) continue;
    if (metric.from.empty())
      refusal.fail(path, "metric \"" + metric.metric.name + "\" comes from nowhere",
                   "give it from = \"stdout\", \"stderr\", or a file that the trial writes");
    if (metric.pattern.empty() == metric.json.empty())
      refusal.fail(path, "metric \"" + metric.metric.name + "\" needs either a pattern or a JSON pointer",
                   "write pattern = 'rate ([0-9.]+)' or json = \"/stats/rate\"");
    if (const auto problem = metric.pattern.empty() ? std::string{} : check::pattern_error(metric.pattern);
        !problem.empty())
      refusal.fail(path + ".pattern", problem, "see the RE2 syntax; in TOML, single quotes keep backslashes");
    if (metric.metric.request.lead_in.seconds > 0 &&
        (metric.pattern.empty() || !check::has_time_group(metric.pattern)))
      refusal.fail(
          path + ".lead_in",
          "its values have no times, so that none lies before " + to_string(metric.metric.request.lead_in),
          "give the pattern a group named at for the time in seconds, (?P<at>[0-9.]+), or write a "
          "number of values");
    if (const auto problem = check::pointer_error(metric.json); !problem.empty())
      refusal.fail(path + ".json", "json = \"" + metric.json + "\": " + problem, "see RFC 6901");
    for (const auto& name : metric.workloads)
      if (std::ranges::count(workloads, name) == 0)
        refusal.fail(path + ".workloads", "\"" + name + "\" is not among the workloads",
                     did_you_mean(name, workloads));
    for (const auto& workload : plan.workloads)
      if (!workload.control.keep_output && (metric.from == "stdout" || metric.from == "stderr"))
        refusal.fail(path + ".from", "workload \"" + workload.name + "\" does not keep its output",
                     "take keep_output = false out, or let the trial write a file");
  }
}

/// Every metric that this plan can yield.
std::vector<Metric> all_metrics(const Plan& plan) {
  auto all = metrics::process_metrics();
  if (std::ranges::any_of(plan.workloads, [](const auto& w) { return !w.work.amount.empty(); }))
    all.push_back(metrics::metric_info(metrics::MetricKind::throughput).metric);
  if (std::ranges::any_of(plan.workloads, [](const auto& w) { return w.service.has_value(); }))
    std::ranges::copy(metrics::service_metrics(), std::back_inserter(all));
  for (const auto& own : plan.metrics) {
    const auto found = std::ranges::find(all, own.metric.name, &Metric::name);
    if (found == all.end())
      all.push_back(own.metric);
    else
      found->direction = own.metric.direction;
  }
  return all;
}

void check_watched(const Plan& plan, const PlanErrors& refusal) {
  const auto all = all_metrics(plan);
  const bool any_contest =
      std::ranges::any_of(plan.workloads, [](const auto& w) { return !w.contest.empty(); });
  for (const auto& name : plan.watch) {
    if (any_contest && std::ranges::count(all, name, &Metric::name) == 0)
      continue;  // its functions may tell it
    const auto metric = std::ranges::find(all, name, &Metric::name);
    if (metric == all.end()) {
      std::vector<std::string> known;
      for (const auto& m : all)
        if (m.direction != Direction::neither) known.push_back(m.name);
      refusal.fail("plan.watch", "unknown metric \"" + name + "\"", did_you_mean(name, known));
    }
    if (metric->direction == Direction::neither)
      refusal.fail("plan.watch", "\"" + name + "\" can't be watched: neither more nor less of it is better",
                   "watch what it stands for");
    const auto* row = metrics::find_metric_info(name);
    if (row == nullptr || metrics::is_measured(*row, plan.rounds.mode)) continue;
    const bool abreast = plan.rounds.mode == Way::abreast;
    refusal.fail("plan.watch",
                 "\"" + name + "\" can't be watched of candidates that run " +
                     (abreast ? "abreast: they share a core" : "in slices: each slice ends with a switch"),
                 "watch cpu time, or use mode = \"turns\"");
  }
}

}  // namespace

void validate_metrics(const Plan& plan, const PlanErrors& refusal) {
  check_own(plan, refusal);
  check_watched(plan, refusal);
}

}  // namespace assay::plan
