#include "assay/judge/gate.hpp"

#include <algorithm>
#include <cmath>
#include <set>

#include "assay/judge/figures.hpp"
#include "assay/judge/keep_only.hpp"
#include "assay/judge/trust.hpp"
#include "assay/model/setting.hpp"

namespace assay::judge {
namespace {

class Holding {
 public:
  Holding(const Findings& findings, const Gate& gate, const Only& only)
      : all_(findings), gate_(gate), only_(only) {}

  GateResult run() {
    if (all_.rounds == 0 && !all_.findings.empty())
      result_.caution =
          "nothing of this ran side by side, so what changed besides the candidates counts as well";
    if (all_.provisional) add(GateStatus::undecided, "the campaign", "it was cut off before its end");
    standings();
    findings();
    requirements();
    auto& reasons = result_.reasons;
    constexpr auto rank = [](const GateReason& r) {
      return r.status == GateStatus::failed ? 0 : r.status == GateStatus::undecided ? 1 : 2;
    };
    std::ranges::stable_sort(reasons, {}, rank);
    if (reasons.empty()) add(GateStatus::undecided, "the campaign", "nothing was compared");
    result_.status = reasons.front().status;
    result_.passes = result_.status == GateStatus::passed ||
                     (result_.status == GateStatus::undecided && gate_.undecided_passes);
    return std::move(result_);
  }

 private:
  void add(GateStatus status, const std::string& about, const std::string& text) {
    result_.reasons.push_back({status, about, text});
  }

  void standings() {
    for (std::size_t i = 0; i < all_.cells.size(); ++i) {
      const auto& cell = all_.cells[i];
      if (all_.candidate(cell).twin_of ||
          (cell.standing != Standing::wrong && cell.standing != Standing::failed))
        continue;
      add(GateStatus::failed, name_of(all_, CellId{static_cast<std::int64_t>(i)}),
          (cell.standing == Standing::wrong ? "its answer is wrong: " : "it failed: ") +
              cell.detail.substr(0, cell.detail.find('\n')));
    }
  }

  void findings() {
    std::set<CellId> judged;
    for (const auto& f : all_.findings) {
      const auto& cell = all_.candidate_of(f);
      if (all_.candidate(cell).twin_of || !all_.demands[f.metric.place()].watched) continue;
      judged.insert(f.of.candidate);
      hold(f, name_of(all_, f.of.candidate) + ", " + all_.metric_of(f).name);
    }
    for (std::size_t i = 0; i < all_.cells.size(); ++i) {
      const auto& cell = all_.cells[i];
      const auto& candidate = all_.candidate(cell);
      const bool compared = std::ranges::any_of(all_.cells, [&](const Cell& other) {
        return candidate.against && other.candidate == *candidate.against &&
               other.workload == cell.workload && other.setting == cell.setting &&
               other.standing == Standing::sound;
      });
      const CellId id{static_cast<std::int64_t>(i)};
      if (candidate.against && !candidate.twin_of && cell.standing == Standing::sound && compared &&
          !judged.contains(id) && is_chosen(all_, cell, only_))
        add(GateStatus::undecided, name_of(all_, id), "there are too few rounds to judge it");
    }
  }

  void hold(const Finding& f, const std::string& about) {
    const auto& metric = all_.metric_of(f);
    const bool ratio = metric.scale == Scale::ratio, lower = metric.prefer != Prefer::higher;
    const double none = ratio ? 1 : 0;
    const double allow = gate_.allow > 0 && ratio ? gate_.allow : f.margin;
    const double limit = ratio ? (lower ? 1 + allow : 1 / (1 + allow)) : (lower ? allow : -allow);
    const double bad_end = lower ? f.interval.high : f.interval.low;
    const auto beyond = [&](double x) { return lower ? x > limit : x < limit; };
    const auto shown = [&](double x) {
      return ratio ? signed_change(x - 1) : to_string(Level{x}) + " " + metric.unit;
    };
    const auto allowed = ratio ? signed_change(limit - 1) + " is allowed" : shown(limit) + " is allowed";
    if (!beyond(bad_end))
      add(GateStatus::passed, about, shown(f.effect) + ", at worst " + shown(bad_end) + "; " + allowed);
    else if (f.verdict == Verdict::worse && beyond(f.effect))
      add(GateStatus::failed, about,
          shown(f.effect) + " (" + shown(f.interval.low) + " … " + shown(f.interval.high) + "); " + allowed);
    else
      add(GateStatus::undecided, about,
          (f.effect == none ? "no change seen" : shown(f.effect)) + ", at worst " +
              (std::isfinite(bad_end) ? shown(bad_end) : "unknown") + "; " + allowed);
  }

  void requirements() {
    using Status = RequirementFinding::Status;
    for (const auto& r : all_.requirements) {
      const auto& demand = *all_.demands[r.metric.place()].require;
      const auto about = name_of(all_, r.cell) + ", " + all_.metrics[r.metric.place()].name;
      const auto text = "required " + demand.text + ", is " + to_string(r.status) + " (typically " +
                        to_string(Level{r.typical}) + ")";
      add(r.status == Status::met      ? GateStatus::passed
          : r.status == Status::broken ? GateStatus::failed
                                       : GateStatus::undecided,
          about, text);
    }
  }

  const Findings& all_;
  const Gate& gate_;
  const Only& only_;
  GateResult result_;
};

}  // namespace

GateResult hold_against(const Findings& findings, const Gate& gate, const Only& only) {
  return Holding(findings, gate, only).run();
}

}  // namespace assay::judge
