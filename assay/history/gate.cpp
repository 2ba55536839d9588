#include "assay/judge/gate.hpp"

#include <algorithm>
#include <cmath>
#include <iterator>
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "assay/history/history_line.hpp"
#include "assay/history/measured_values.hpp"
#include "assay/history/trend.hpp"

namespace assay::history {
namespace {

/// A change that came in with the newest commits, or may have.
struct Seen {
  GateStatus status = GateStatus::undecided;
  Effect effect;
  Interval interval;
};

/// By the whole interval.
GateStatus status_of(const HistoryLine& line, const Interval& interval, const Effect& limit) {
  const bool lower = line.metric.direction != Direction::higher;
  const auto beyond = [&](double x) { return lower ? x > limit.value : x < limit.value; };
  const auto [best, worst] =
      lower ? std::pair(interval.low, interval.high) : std::pair(interval.high, interval.low);
  return !beyond(worst) ? GateStatus::passed : beyond(best) ? GateStatus::failed : GateStatus::undecided;
}

bool is_claimed(const HistoryStep& step) {
  return step.status == HistoryStep::Status::confirmed || step.status == HistoryStep::Status::drift;
}

/// The last point against the level that it belongs to, or, where it begins one, against the one before.
std::optional<Seen> newest_against_level(const HistoryLine& line, const Effect& limit) {
  const auto last = line.points.size() - 1;
  const auto level = std::ranges::find_if(line.levels, [&](const HistoryLevel& l) { return l.end > last; });
  if (level == line.levels.end()) return {};
  auto first = level->first, end = last;
  if (first == last) {
    if (level == line.levels.begin()) return {};
    first = std::prev(level)->first;
    end = std::prev(level)->end;
  }
  const auto before = level_of(line, first, end), now = level_of(line, last, last + 1);
  const auto scale = line.metric.scale;
  const double change = now.level.transformed() - before.level.transformed();
  const double width = std::hypot(half_width(scale, now.interval), half_width(scale, before.interval));
  Seen seen{.effect = Effect::from_transformed(scale, change),
            .interval = {Effect::from_transformed(scale, change - width).value,
                         Effect::from_transformed(scale, change + width).value}};
  // Which level it is compared with was chosen by the values: only a campaign of its own can fail it.
  seen.status = status_of(line, seen.interval, limit) == GateStatus::passed ? GateStatus::passed
                                                                            : GateStatus::undecided;
  return seen;
}

/// What came in with the newest commits, from place `first` of the history on.
std::vector<Seen> seen_since(const HistoryLine& line, std::size_t first, const Effect& limit) {
  std::vector<Seen> all;
  for (const auto& step : line.steps) {
    const bool drift = step.status == HistoryStep::Status::drift;
    if (line.points[drift ? step.to : step.after].commit_index < first ||
        step.status == HistoryStep::Status::refuted)
      continue;
    if (is_claimed(step) && step.measured)
      all.push_back({status_of(line, step.measured->interval, limit), step.effect, step.measured->interval});
    else if (step.measured)
      all.push_back({GateStatus::undecided, step.effect, step.measured->interval});
  }
  const bool any_claimed = std::ranges::any_of(line.steps, [&](const HistoryStep& step) {
    return is_claimed(step) && line.points[step.after].commit_index >= first;
  });
  if (any_claimed) return all;
  if (auto newest = newest_against_level(line, limit)) all.push_back(*newest);
  return all;
}

GateReason reason_of(const History& history, const HistoryLine& line, std::size_t first,
                     const Effect& limit) {
  GateReason reason{.effect = Effect::none(line.metric.scale), .limit = limit};
  if (line.points.empty() || line.points.back().commit_index + 1 != history.commits.size()) {
    reason.kind = GateReason::Kind::no_finding;
    reason.status = GateStatus::undecided;
    return reason;
  }
  const auto seen = seen_since(line, first, limit);
  if (seen.empty()) {
    reason.kind = GateReason::Kind::no_finding;
    reason.status = GateStatus::undecided;
    return reason;
  }
  const auto severity = [&](const Seen& s) {
    return std::pair(s.status == GateStatus::failed      ? 2
                     : s.status == GateStatus::undecided ? 1
                                                         : 0,
                     regression_sign(line.metric) * s.effect.transformed());
  };
  const auto worst = std::ranges::max_element(seen, {}, severity);
  reason.status = worst->status;
  reason.effect = worst->effect;
  reason.interval = worst->interval;
  return reason;
}

}  // namespace

HistoryGate evaluate_gate(const History& history, const Gate& gate, std::size_t newest) {
  HistoryGate held;
  std::vector<GateReason> reasons;
  auto& design = held.design;
  design.rules.margin = history.margin;
  const auto reference = design.candidates.add({.name = history.reference});
  const auto branch = design.candidates.add({.name = history.branch, .baseline = reference});
  const auto first = history.commits.size() > newest ? history.commits.size() - newest : 0;
  for (const auto& line : history.lines) {
    auto workload = design.workloads.find([&](const Workload& w) { return w.name == line.workload; });
    if (!workload) workload = design.workloads.add({.name = line.workload});
    auto metric = design.metrics.find([&](const Metric& m) { return m.name == line.metric.name; });
    if (!metric) metric = design.metrics.add(line.metric);
    Cell cell{.candidate = branch, .workload = *workload};
    if (!line.setting.empty()) cell.setting.levels["at"] = line.setting;
    const double allow = gate.allow > 0 ? gate.allow : line.metric.request.margin.value_or(history.margin);
    auto reason =
        reason_of(history, line, first,
                  regression_limit(line.metric.scale, allow, line.metric.direction != Direction::higher));
    reason.subject = design.cells.add(cell);
    reason.metric = metric;
    reasons.push_back(std::move(reason));
  }
  for (const auto& [commit, why] : history.unmeasurable) {
    const auto place =
        std::ranges::find(history.commits, commit.id, &CommitFacts::id) - history.commits.begin();
    if (static_cast<std::size_t>(place) + 1 < history.commits.size()) continue;  // it was mended since
    const auto candidate =
        design.candidates.add({.name = commit.short_id() + " " + commit.subject, .baseline = reference});
    reasons.push_back({.kind = GateReason::Kind::failed,
                       .status = GateStatus::failed,
                       .subject = candidate,
                       .detail = why});
  }
  held.result = judge::summarize(std::move(reasons), gate);
  return held;
}

}  // namespace assay::history
