#include "assay/judge/stopping.hpp"

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <map>
#include <tuple>
#include <vector>

#include "assay/judge/cpu_wall.hpp"
#include "assay/judge/forecast.hpp"
#include "assay/judge/gate.hpp"
#include "assay/judge/paired_series.hpp"
#include "assay/judge/paired_test.hpp"
#include "assay/metrics/catalogue.hpp"
#include "assay/schedule/interim_looks.hpp"

namespace assay::judge {
namespace {

class StopEvaluator {
 public:
  StopEvaluator(const Observations& evidence, std::span<const Finding> watched, const StopCriteria& aim)
      : evidence_(evidence), design_(evidence.design), watched_(watched.begin(), watched.end()), aim_(aim) {
    link_cpu_and_wall(evidence, watched_);
    for (const auto& f : watched_)
      most_rounds_[f.comparison] = std::max(most_rounds_[f.comparison], f.rounds);
    for (const auto& r : judge_requirements(evidence))
      if (r.status == RequirementFinding::Status::undecided) undecided_.insert(r.cell);
  }

  std::set<Comparison> run() {
    std::map<Comparison, bool> done;
    for (const auto& f : watched_) {
      const auto [entry, fresh] = done.try_emplace(f.comparison, requirements_decided(f.comparison));
      entry->second = entry->second && is_answered(f);
    }
    std::set<Comparison> result;
    for (const auto& [comparison, is_done] : done)
      if (is_done) result.insert(comparison);
    return result;
  }

 private:
  bool requirements_decided(const Comparison& of) const {
    return !undecided_.contains(of.baseline) && !undecided_.contains(of.candidate);
  }

  bool is_answered(const Finding& f) {
    const auto& metric = design_.metrics[f.metric];
    if (f.superseded_by) return true;
    // What others of its metrics have and this one never does is not waited for: the latency of a rate that
    // is not sustained, say.
    if (f.rounds == 0 && most_rounds_[f.comparison] >= static_cast<std::size_t>(fewest_rounds)) return true;
    // A CPU time that was added by default is waited for only where it may decide for a wall time.
    if (metrics::is_default_cpu_time(metric) && evidence_.way(f.comparison.candidate) != Way::abreast &&
        (is_settled(f.comparison, metrics::MetricKind::wall_time) ||
         !on_one_core_.contains(f.comparison.baseline) || !on_one_core_.contains(f.comparison.candidate)))
      return true;
    if (f.decided && f.rounds == 0) return true;  // exact
    if (design_.is_twin(f.comparison.candidate)) return f.decided || is_futile(f, metric);
    if (aim_.precise) return is_precise(f, metric) && (!aim_.allow || is_decided(f, metric));
    const bool known = aim_.allow ? is_decided(f, metric) : is_sure(f) || is_shown_unlike(f);
    return known ? slow_runs_could_have_shown(f, metric) : is_futile(f, metric);
  }

  bool is_sure(const Finding& f) const {
    const bool changed = is_change(f.verdict);
    if (!f.decided || !changed) return f.decided;
    return (!aim_.promise.level || f.p <= *aim_.promise.level) &&
           (!aim_.promise.part ||
            half_width(f.effect.scale, f.interval) <= *aim_.promise.part * f.effect.distance());
  }

  /// By the gate, at a planned look: intervals between looks are no ground for leaving.
  bool is_decided(const Finding& f, const Metric& metric) const {
    if (evaluate_gate(f, metric, *aim_.allow) == GateStatus::undecided) return false;
    return f.decided || metric.exact ||
           looks_of(design_.rules, f.replication).look_at(static_cast<int>(f.rounds));
  }

  /// Whether slow runs or the mean plainly do otherwise than most runs, so that no verdict is to be hoped
  /// for.
  static bool is_shown_unlike(const Finding& f) {
    constexpr double plainly = 0.005;
    return f.rounds_to_decide &&
           (f.rounds_to_decide->obstacle == RoundsToDecide::Obstacle::slow_runs ||
            f.rounds_to_decide->obstacle == RoundsToDecide::Obstacle::fast_and_slow) &&
           rest_is_unlike(f, plainly);
  }

  bool slow_runs_could_have_shown(const Finding& f, const Metric& metric) const {
    constexpr double beyond_slow_runs = 1.5;
    if (aim_.seconds_for_slow_runs == 0 || metric.exact || f.effect.distance() > std::log(beyond_slow_runs) ||
        f.rounds >= rounds_that_show_slow_runs || f.replication.is_replicated() ||
        metrics::is_of_many_calls(metric))
      return true;
    double round = 0;
    for (const auto cell : {f.comparison.baseline, f.comparison.candidate})
      if (const auto cost = costs_.find(cell); cost != costs_.end()) round += cost->second;
    return static_cast<double>(rounds_that_show_slow_runs) * round > aim_.seconds_for_slow_runs;
  }

  bool is_settled(const Comparison& of, metrics::MetricKind time) const {
    return std::ranges::any_of(watched_, [&](const Finding& f) {
      return f.comparison == of && f.decided && metrics::is_kind(design_.metrics[f.metric], time);
    });
  }

  bool is_precise(const Finding& f, const Metric& metric) const {
    if (metric.scale == Scale::difference || metric.exact) return true;
    return std::log(f.interval.high / f.interval.low) / 2 <= std::log1p(*aim_.precise);
  }

  /// Seconds that a cell takes of a judged round.
  std::map<CellId, double> costs_of_rounds() const {
    std::map<CellId, double> costs;
    const auto times = run_times(evidence_);
    for (std::size_t i = 0; i < times.size(); ++i)
      costs[times.cell[i]] +=
          times.value[i] / static_cast<double>(std::max<std::size_t>(evidence_.rounds(), 1));
    return costs;
  }

  /// Whether neither this planned look nor the one before gave hope.
  bool is_futile(const Finding& f, const Metric& metric) {
    constexpr std::size_t fewest = 10;
    if (f.rounds < fewest || metric.exact) return false;
    const auto looks = looks_of(design_.rules, f.replication);
    const auto place = looks.look_at(static_cast<int>(f.rounds));
    const int planned = looks.counts().back(),
              last = aim_.rounds > 0 ? std::min(aim_.rounds, planned) : planned;
    if (!place || *place == 0 || static_cast<int>(f.rounds) >= last) return false;
    const auto series = make_pairs(evidence_, f.comparison, f.metric);
    if (series.rounds.size() != f.rounds || !all_valid(series, metric.scale)) return false;
    const auto family = family_rules(design_, f.metric, {}, judges_wall_time(evidence_));
    const auto c_changed = critical_at_end(looks, f.replication, last, family.rate_of_changes()),
               c_same = critical_at_end(looks, f.replication, last, 1 - family.options.level);
    const double limit = !aim_.allow ? 0
                                     : (metric.direction == Direction::higher ? -1 : 1) *
                                           allowed_limit(f, metric, *aim_.allow).transformed();
    const IsEnough enough = [&](const PairedTest& e) {
      return aim_.allow ? e.would_call(c_changed, limit) : e.would_decide(c_changed, c_same);
    };
    const auto hopeless_at = [&](std::size_t rounds) {
      return !can_come_to(estimate_of(series, rounds, family.options), static_cast<std::size_t>(last),
                          enough);
    };
    return hopeless_at(f.rounds) && hopeless_at(static_cast<std::size_t>(looks.counts()[*place - 1]));
  }

  /// The critical count of the look at the campaign's end, planned or closing.
  std::uint64_t critical_at_end(const schedule::LookSchedule& looks, const Replication& repeats, int last,
                                double alpha) {
    const auto [known, fresh] = critical_.try_emplace({repeats, last, alpha}, 0);
    if (!fresh) return known->second;
    known->second = schedule::LookAt(looks, last, alpha, true).critical_count(alpha);
    return known->second;
  }

  const Observations& evidence_;
  const Design& design_;
  std::vector<Finding> watched_;
  const StopCriteria& aim_;
  std::set<CellId> undecided_;
  std::map<Comparison, std::size_t> most_rounds_;  ///< of any of its metrics
  std::set<CellId> on_one_core_ = single_core_cells(evidence_);
  std::map<CellId, double> costs_ = costs_of_rounds();
  std::map<std::tuple<Replication, int, double>, std::uint64_t> critical_;
};

}  // namespace

std::set<Comparison> finished_comparisons(const Observations& evidence, std::span<const Finding> watched,
                                          const StopCriteria& aim) {
  return StopEvaluator(evidence, watched, aim).run();
}

}  // namespace assay::judge
