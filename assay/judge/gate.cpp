#include "assay/judge/gate.hpp"

#include <algorithm>
#include <set>
#include <utility>

#include "assay/judge/keep_only.hpp"
#include "assay/judge/times.hpp"

namespace assay::inline v1::judge {
namespace {

class Holding {
 public:
  Holding(const Findings& findings, const Gate& gate, const Only& only)
      : all_(findings), gate_(gate), only_(only) {}

  GateResult run() {
    result_.apart = all_.rounds == 0 && !all_.findings.empty();
    if (all_.provisional) add({.kind = GateReason::Kind::cut_off, .status = GateStatus::undecided});
    standings();
    findings();
    requirements();
    const bool apart = result_.apart;
    result_ = conclude(std::move(result_.reasons), gate_);
    result_.apart = apart;
    return std::move(result_);
  }

 private:
  void add(GateReason reason) { result_.reasons.push_back(std::move(reason)); }

  bool is_chosen(CellId id) const { return judge::is_chosen(all_.design, all_.design.cells[id], only_); }

  void standings() {
    for (const auto id : all_.design.cells.ids()) {
      const auto& state = all_.states[id];
      const bool wrong = state.standing == Standing::wrong;
      if (all_.design.is_twin(id) || !is_chosen(id) || (!wrong && state.standing != Standing::failed))
        continue;
      add({.kind = wrong ? GateReason::Kind::wrong : GateReason::Kind::failed,
           .status = GateStatus::failed,
           .subject = id,
           .said = state.detail});
    }
  }

  void findings() {
    const auto& design = all_.design;
    std::set<CellId> judged, compared;
    for (const auto& f : all_.findings) {
      if (design.is_twin(f.of.candidate) || !all_.metric_of(f).demand.watched) continue;
      judged.insert(f.of.candidate);
      if (!is_beside(all_, f)) hold(f);
    }
    for (const auto& contrast : design.contrasts)
      if (all_.states[contrast.baseline].is_sound()) compared.insert(contrast.candidate);
    for (const auto id : design.cells.ids())
      if (compared.contains(id) && !design.is_twin(id) && all_.states[id].is_sound() &&
          !judged.contains(id) && is_chosen(id))
        add({.kind = GateReason::Kind::no_finding, .status = GateStatus::undecided, .subject = id});
  }

  void hold(const Finding& f) {
    const auto& metric = all_.metric_of(f);
    add({.kind = GateReason::Kind::change,
         .status = hold_against(f, metric, gate_.allow),
         .subject = f.of.candidate,
         .metric = f.metric,
         .effect = f.effect,
         .limit = limit_of(f, metric, gate_.allow),
         .interval = f.interval});
  }

  void requirements() {
    using Status = RequirementFinding::Status;
    for (const auto& r : all_.requirements)
      add({.kind = GateReason::Kind::requirement,
           .status = r.status == Status::met      ? GateStatus::passed
                     : r.status == Status::broken ? GateStatus::failed
                                                  : GateStatus::undecided,
           .subject = r.cell,
           .metric = r.metric,
           .typical = r.typical,
           .required = r.status});
  }

  const Findings& all_;
  const Gate& gate_;
  const Only& only_;
  GateResult result_;
};

}  // namespace

Effect limit_of(const Finding& f, const Metric& metric, double allow) {
  return limit_to_the_worse(metric.scale, allow > 0 && f.effect.is_ratio() ? allow : f.margin,
                            metric.prefer != Prefer::higher);
}

GateResult conclude(std::vector<GateReason> reasons, const Gate& gate) {
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

GateStatus hold_against(const Finding& f, const Metric& metric, double allow) {
  const bool lower = metric.prefer != Prefer::higher;
  const auto limit = limit_of(f, metric, allow).value;
  const auto beyond = [&](double x) { return lower ? x > limit : x < limit; };
  const auto [best, worst] =
      lower ? std::pair(f.interval.low, f.interval.high) : std::pair(f.interval.high, f.interval.low);
  if (beyond(worst)) return beyond(best) ? GateStatus::failed : GateStatus::undecided;
  if (!f.mean || !beyond(lower ? f.mean->interval.low : f.mean->interval.high)) return GateStatus::passed;
  return f.mean->shown > 0 ? GateStatus::failed
                           : GateStatus::undecided;  // most runs are within it, all are not
}

GateResult hold_against(const Findings& findings, const Gate& gate, const Only& only) {
  return Holding(findings, gate, only).run();
}

}  // namespace assay::inline v1::judge
