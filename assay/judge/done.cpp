#include "assay/judge/done.hpp"

#include <algorithm>
#include <cmath>
#include <map>
#include <vector>

#include "assay/judge/estimate.hpp"
#include "assay/judge/gate.hpp"
#include "assay/judge/pairs.hpp"
#include "assay/judge/requirements.hpp"
#include "assay/judge/resampling.hpp"
#include "assay/judge/times.hpp"
#include "assay/metrics/catalogue.hpp"

namespace assay::inline v1::judge {
namespace {

class Weighing {
 public:
  Weighing(const Evidence& evidence, std::span<const Finding> watched, const Aim& aim)
      : evidence_(evidence), design_(evidence.design), watched_(watched.begin(), watched.end()), aim_(aim) {
    link_times(evidence, watched_);
    for (const auto& f : watched_) most_rounds_[f.of] = std::max(most_rounds_[f.of], f.rounds);
    for (const auto& r : judge_requirements(evidence))
      if (r.status == RequirementFinding::Status::undecided) undecided_.insert(r.cell);
  }

  std::set<Contrast> run() {
    std::map<Contrast, bool> done;
    for (const auto& f : watched_) {
      const auto [entry, fresh] = done.try_emplace(f.of, requirements_decided(f.of));
      entry->second = entry->second && is_answered(f);
    }
    std::set<Contrast> result;
    for (const auto& [contrast, is_done] : done)
      if (is_done) result.insert(contrast);
    return result;
  }

 private:
  bool requirements_decided(const Contrast& of) const {
    return !undecided_.contains(of.baseline) && !undecided_.contains(of.candidate);
  }

  bool is_answered(const Finding& f) {
    const auto& metric = design_.metrics[f.metric];
    if (f.decided_by) return true;
    // What others of its metrics have and this one never does is not waited for: the latency of a rate that
    // is not sustained, say.
    if (f.rounds == 0 && most_rounds_[f.of] >= static_cast<std::size_t>(fewest_rounds)) return true;
    // A CPU time that nobody asked for is waited for only where it may decide for a wall time.
    if (metrics::is_implied(metric) &&
        (is_settled(f.of, metrics::Known::wall_time) || !on_one_core_.contains(f.of.baseline) ||
         !on_one_core_.contains(f.of.candidate)))
      return true;
    if (!f.settled) return !aim_.precise && will_hardly_settle(f, metric);
    if (f.rounds == 0 || design_.is_twin(f.of.candidate)) return true;
    if (aim_.allow && hold_against(f, metric, *aim_.allow) == GateStatus::undecided) return false;
    return !aim_.precise || is_precise(f, metric);
  }

  bool is_settled(const Contrast& of, metrics::Known time) const {
    return std::ranges::any_of(watched_, [&](const Finding& f) {
      return f.of == of && f.settled && metrics::is(design_.metrics[f.metric], time);
    });
  }

  bool is_precise(const Finding& f, const Metric& metric) const {
    if (metric.scale == Scale::difference || metric.exact) return true;
    return std::log(f.interval.high / f.interval.low) / 2 <= std::log1p(*aim_.precise);
  }

  bool will_hardly_settle(const Finding& f, const Metric& metric) {
    constexpr std::size_t fewest = 10;
    const auto looks = looks_of(design_.rules, evidence_.repeats(f.of));
    const int last = looks.counts().back();
    if (f.rounds < fewest || metric.exact || !looks.due_at(static_cast<int>(f.rounds)) ||
        static_cast<int>(f.rounds) >= last)
      return false;
    const auto series = pair_up(evidence_, f.of, values_of(f.metric));
    if (series.rounds.size() != f.rounds || !all_fit(series, metric.scale)) return false;
    const auto estimate = estimate_of(series, f.rounds, rules_for(design_, f.metric, {}).question);
    const auto critical = looks.boundary()->critical_count(looks.counts().size() - 1);
    return !can_settle(estimate, static_cast<std::size_t>(last), critical);
  }

  const ByCell& values_of(MetricId metric) {
    const auto [entry, fresh] = by_metric_.try_emplace(metric);
    if (fresh) entry->second = by_cell(evidence_.values(metric));
    return entry->second;
  }

  const Evidence& evidence_;
  const Design& design_;
  std::vector<Finding> watched_;
  const Aim& aim_;
  std::set<CellId> undecided_;
  std::map<Contrast, std::size_t> most_rounds_;  ///< of any of its metrics
  std::set<CellId> on_one_core_ = cells_on_one_core(evidence_);
  std::map<MetricId, ByCell> by_metric_;
};

}  // namespace

std::set<Contrast> contrasts_done(const Evidence& evidence, std::span<const Finding> watched,
                                  const Aim& aim) {
  return Weighing(evidence, watched, aim).run();
}

}  // namespace assay::inline v1::judge
