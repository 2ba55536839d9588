#include "assay/history/gate.hpp"

#include <algorithm>
#include <string>
#include <utility>
#include <vector>

#include "assay/history/pairs_of.hpp"
#include "assay/judge/gate.hpp"

namespace assay::inline v1::history {
namespace {

/// How bad an effect is: above 0 is worse.
double badness(const HistoryLine& line, const Effect& effect) {
  return sign_to_the_worse(line.metric) * effect.on_test_scale();
}

GateReason reason_of(const History& history, const HistoryLine& line, std::size_t first,
                     const Effect& limit) {
  GateReason reason{.effect = Effect::none(line.metric.scale), .limit = limit};
  const double allowed = badness(line, limit);
  reason.interval = {.low = reason.effect.value, .high = reason.effect.value};
  double worst = 0;
  for (const auto& step : line.steps) {
    const bool drift = step.status == HistoryStep::Status::drift;
    if (line.points[drift ? step.to : step.after].place < first ||
        step.status == HistoryStep::Status::refuted)
      continue;
    const double bad = badness(line, step.effect);
    if (bad <= worst) continue;
    worst = bad;
    reason.effect = step.effect;
    reason.interval =
        step.measured ? step.measured->interval : Interval{step.effect.value, step.effect.value};
    reason.status = bad <= allowed                                 ? GateStatus::passed
                    : step.status == HistoryStep::Status::proposed ? GateStatus::undecided
                                                                   : GateStatus::failed;
  }
  const bool has_newest = !line.points.empty() && line.points.back().place + 1 == history.commits.size();
  if (reason.status == GateStatus::passed && !has_newest) {
    reason.kind = GateReason::Kind::no_finding;
    reason.status = GateStatus::undecided;
  }
  return reason;
}

}  // namespace

HistoryGate hold_against(const History& history, const Gate& gate, std::size_t newest) {
  HistoryGate held;
  std::vector<GateReason> reasons;
  auto& design = held.design;
  design.rules.margin = history.margin;
  const auto reference = design.candidates.add({.name = history.reference});
  const auto branch = design.candidates.add({.name = history.branch, .against = reference});
  const auto first = history.commits.size() > newest ? history.commits.size() - newest : 0;
  for (const auto& line : history.lines) {
    auto workload = design.workloads.find([&](const Workload& w) { return w.name == line.workload; });
    if (!workload) workload = design.workloads.add({.name = line.workload});
    auto metric = design.metrics.find([&](const Metric& m) { return m.name == line.metric.name; });
    if (!metric) metric = design.metrics.add(line.metric);
    Cell cell{.candidate = branch, .workload = *workload};
    if (!line.setting.empty()) cell.setting.levels["at"] = line.setting;
    const double allow = gate.allow > 0 ? gate.allow : line.metric.demand.margin.value_or(history.margin);
    auto reason =
        reason_of(history, line, first,
                  limit_to_the_worse(line.metric.scale, allow, line.metric.prefer != Prefer::higher));
    reason.subject = design.cells.add(cell);
    reason.metric = metric;
    reasons.push_back(std::move(reason));
  }
  for (const auto& [commit, why] : history.silent) {
    const auto place =
        std::ranges::find(history.commits, commit.id, &CommitFacts::id) - history.commits.begin();
    if (static_cast<std::size_t>(place) + 1 < history.commits.size()) continue;  // it was mended since
    const auto candidate =
        design.candidates.add({.name = commit.short_id() + " " + commit.subject, .against = reference});
    reasons.push_back(
        {.kind = GateReason::Kind::failed, .status = GateStatus::failed, .subject = candidate, .said = why});
  }
  held.result = judge::conclude(std::move(reasons), gate);
  return held;
}

}  // namespace assay::inline v1::history
