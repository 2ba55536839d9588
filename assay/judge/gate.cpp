#include "assay/judge/gate.hpp"

#include <algorithm>
#include <cmath>
#include <map>
#include <set>
#include <utility>

#include "assay/judge/cpu_wall.hpp"
#include "assay/judge/judge.hpp"
#include "assay/judge/paired_series.hpp"
#include "assay/stats/location.hpp"
#include "assay/stats/rank_sum.hpp"
#include "assay/stats/segments.hpp"

namespace assay::judge {

namespace {

class GateEvaluator {
 public:
  GateEvaluator(const Findings& findings, const Gate& gate, const CellFilter& only)
      : all_(findings), gate_(gate), only_(only) {}

  GateResult run() {
    result_.unpaired = all_.rounds == 0 && !all_.findings.empty();
    if (all_.provisional) add({.kind = GateReason::Kind::cut_off, .status = GateStatus::undecided});
    statuses();
    findings();
    requirements();
    const bool apart = result_.unpaired;
    result_ = summarize(std::move(result_.reasons), gate_);
    result_.unpaired = apart;
    return std::move(result_);
  }

 private:
  void add(GateReason reason) { result_.reasons.push_back(std::move(reason)); }

  bool is_chosen(CellId id) const { return judge::matches(all_.design, all_.design.cells[id], only_); }

  void statuses() {
    for (const auto id : all_.design.cells.ids()) {
      const auto& state = all_.statuses[id];
      const bool wrong = state.code == StatusCode::wrong;
      if (all_.design.is_twin(id) || !is_chosen(id) || (!wrong && state.code != StatusCode::failed)) continue;
      add({.kind = wrong ? GateReason::Kind::wrong : GateReason::Kind::failed,
           .status = GateStatus::failed,
           .subject = id,
           .detail = state.detail});
    }
  }

  void findings() {
    const auto& design = all_.design;
    std::set<CellId> judged, compared;
    for (const auto& f : all_.findings) {
      if (design.is_twin(f.comparison.candidate) || !all_.metric_of(f).request.watched) continue;
      judged.insert(f.comparison.candidate);
      if (!is_secondary(all_, f)) hold(f);
    }
    for (const auto& comparison : design.comparisons)
      if (all_.statuses[comparison.baseline].is_ok()) compared.insert(comparison.candidate);
    for (const auto id : design.cells.ids())
      if (compared.contains(id) && !design.is_twin(id) && all_.statuses[id].is_ok() && !judged.contains(id) &&
          is_chosen(id))
        add({.kind = GateReason::Kind::no_finding, .status = GateStatus::undecided, .subject = id});
  }

  void hold(const Finding& f) {
    const auto& metric = all_.metric_of(f);
    add({.kind = GateReason::Kind::change,
         .status = evaluate_gate(f, metric, gate_.allow),
         .subject = f.comparison.candidate,
         .metric = f.metric,
         .effect = f.effect,
         .limit = allowed_limit(f, metric, gate_.allow),
         .interval = f.interval});
  }

  void requirements() {
    using Status = RequirementFinding::Status;
    for (const auto& r : all_.requirements)
      add({.kind = GateReason::Kind::requirement,
           .status = r.status == Status::met        ? GateStatus::passed
                     : r.status == Status::violated ? GateStatus::failed
                                                    : GateStatus::undecided,
           .subject = r.cell,
           .metric = r.metric,
           .typical = r.typical,
           .required = r.status});
  }

  const Findings& all_;
  const Gate& gate_;
  const CellFilter& only_;
  GateResult result_;
};

}  // namespace

Effect allowed_limit(const Finding& f, const Metric& metric, double allow) {
  return regression_limit(metric.scale, allow > 0 && f.effect.is_ratio() ? allow : f.margin,
                          metric.direction != Direction::higher);
}

GateResult summarize(std::vector<GateReason> reasons, const Gate& gate) {
  if (reasons.empty())
    reasons.push_back({.kind = GateReason::Kind::nothing_to_do, .status = GateStatus::undecided});
  std::ranges::stable_sort(reasons, {}, [](const GateReason& r) {
    return r.status == GateStatus::failed ? 0 : r.status == GateStatus::undecided ? 1 : 2;
  });
  GateResult result{.status = reasons.front().status};
  result.passes = result.status == GateStatus::passed ||
                  (result.status == GateStatus::undecided && gate.undecided_passes);
  result.reasons = std::move(reasons);
  return result;
}

GateStatus evaluate_gate(const Finding& f, const Metric& metric, double allow) {
  if (f.machines_disagree()) return GateStatus::undecided;
  const bool lower = metric.direction != Direction::higher;
  const auto limit = allowed_limit(f, metric, allow).value;
  const auto beyond = [&](double x) { return lower ? x > limit : x < limit; };
  const auto [best, worst] =
      lower ? std::pair(f.interval.low, f.interval.high) : std::pair(f.interval.high, f.interval.low);
  if (beyond(worst)) return beyond(best) ? GateStatus::failed : GateStatus::undecided;
  if (!f.mean || !beyond(lower ? f.mean->interval.low : f.mean->interval.high)) return GateStatus::passed;
  return f.mean->shown > 0 ? GateStatus::failed
                           : GateStatus::undecided;  // most runs are within it, all are not
}

GateResult evaluate_gate(const Findings& findings, const Gate& gate, const CellFilter& only) {
  return GateEvaluator(findings, gate, only).run();
}

namespace {

/// As many values, evenly spread over these in order of size, as independent ones would tell as much: n·(1 −
/// ρ)/(1 + ρ), with ρ the correlation of neighbours' ranks, for its bias towards below corrected (Kendall
/// 1954; Bayley & Hammersley 1946 for the number).
std::vector<double> independent_part(std::vector<double> values) {
  const auto n = static_cast<double>(values.size());
  if (values.size() < 4) return values;
  std::vector<double> ranks;
  for (const auto rank : stats::doubled_ranks(values)) ranks.push_back(static_cast<double>(rank));
  const double seen = stats::autocorrelation(ranks);
  const double rho = std::clamp(seen + (1 + 4 * seen) / n, 0.0, 0.95);
  const double independent = std::max(1.0, std::floor(n * (1 - rho) / (1 + rho)));
  std::ranges::sort(values);
  std::vector<double> part;
  for (double i = 0; i < independent; ++i)
    part.push_back(values[static_cast<std::size_t>((i + 0.5) * n / independent)]);
  return part;
}

struct Values {
  std::vector<double> all;
  std::size_t rounds = 0;
};

RequirementFinding hold(const Values& of_cell, const Requirement& require, double level) {
  using Status = RequirementFinding::Status;
  const auto& values = of_cell.all;
  RequirementFinding found{.rounds = of_cell.rounds, .typical = stats::median(values)};
  const auto bounds = stats::quantile_interval(independent_part(values), 0.5, level);
  found.interval = {bounds.low, bounds.high, level};
  const bool low = require.holds(bounds.low), high = require.holds(bounds.high);
  found.status = low && high ? Status::met : low || high ? Status::undecided : Status::violated;
  const bool from_below =
      require.bound == Requirement::Bound::at_most || require.bound == Requirement::Bound::below;
  if (require.limit != 0)
    found.headroom =
        (from_below ? require.limit - found.typical : found.typical - require.limit) / require.limit;
  return found;
}

/// Of two machines: it is met where it is met on all, and broken where it is on any.
bool is_worse(const RequirementFinding& one, const RequirementFinding& other) {
  using Status = RequirementFinding::Status;
  const auto place = [](Status status) {
    return status == Status::met ? 0 : status == Status::undecided ? 1 : 2;
  };
  if (one.status != other.status) return place(one.status) > place(other.status);
  return one.headroom < other.headroom;
}

}  // namespace

std::vector<RequirementFinding> judge_requirements(const Observations& evidence) {
  const auto& design = evidence.design;
  std::map<std::pair<MetricId, CellId>, std::map<int, Values>> asked;  // by machine
  for (const auto metric : design.metrics.ids()) {
    if (!design.metrics[metric].request.require) continue;
    const auto& column = evidence.values(metric);
    for (std::size_t i = 0; i < column.size(); ++i) {
      if (design.is_twin(column.cell[i])) continue;
      auto& of_cell = asked[{metric, column.cell[i]}][evidence.machine_of_round(column.round[i])];
      of_cell.all.push_back(column.value[i]);
      of_cell.rounds += column.repeat[i] == 0 ? 1U : 0U;
    }
  }
  // All of them hold together, and at every look (Bonferroni).
  const std::size_t looks = design.rules.rounds_max > 0 ? looks_of(design.rules).counts().size() : 1;
  std::size_t together = 0;
  for (const auto& [place, machines] : asked) together += machines.size();
  const double level = 1 - 0.05 / static_cast<double>(std::max<std::size_t>(together, 1) * looks);
  std::vector<RequirementFinding> all;
  for (const auto& [place, machines] : asked) {
    const auto& [metric, cell] = place;
    std::optional<RequirementFinding> worst;
    for (const auto& [machine, of_cell] : machines) {
      auto found = hold(of_cell, *design.metrics[metric].request.require, level);
      if (machines.size() > 1) found.machine = machine + 1;
      if (!worst || is_worse(found, *worst)) worst = found;
    }
    worst->cell = cell;
    worst->metric = metric;
    all.push_back(*worst);
  }
  return all;
}

}  // namespace assay::judge
