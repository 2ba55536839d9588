#include "assay/judge/settle.hpp"

#include <algorithm>
#include <map>
#include <memory>
#include <optional>
#include <set>

#include "assay/judge/error_rate.hpp"
#include "assay/judge/estimate.hpp"
#include "assay/judge/pairs.hpp"
#include "assay/judge/resampling.hpp"
#include "assay/schedule/look_at.hpp"
#include "assay/schedule/look_plan.hpp"
#include "assay/stats/many.hpp"

namespace assay::inline v1::judge {
namespace {

enum class Kind { open, changed, same };

/// The smallest p-value that the looks at a finding have shown, and the pairs at that look.
struct Best {
  double p = 1;
  int rounds = 0;
};

/// One finding on its way.
struct State {
  Kind kind = Kind::open;
  int looks = 0;  ///< taken until it was settled, or so far
  double p = 1;   ///< of no change, over all looks
  Best changed, same;
  Verdict direction = Verdict::unclear;              ///< of `changed`
  Price::Obstacle obstacle = Price::Obstacle::none;  ///< why the last look settled nothing
  int slow = 0, mean = 0;  ///< shown to be more (1) or less (−1), at the error rate that verdicts share
};

class Settling {
 public:
  Settling(std::span<const PairedSeries> series, const Family& family)
      : series_(series),
        family_(family),
        q_(1 - family.question.level),
        q_changed_(family.rate_of_changes()),
        states_(series.size()) {
    for (const auto& s : series)
      if (!planned_.contains(s.repeats))
        planned_.try_emplace(s.repeats, family.min_rounds, family.max_rounds, s.repeats);
  }

  std::vector<Finding> run(Stage stage) {
    std::set<int> rounds;
    for (const auto& s : series_) rounds.insert(s.rounds.begin(), s.rounds.end());
    for (const int round : rounds) {
      bool any = false;
      for (std::size_t i = 0; i < series_.size(); ++i) any = planned_look(i, round) || any;
      if (any) select();
    }
    if (stage == Stage::ended) {
      for (std::size_t i = 0; i < series_.size(); ++i) closing_look(i);
      select();
    }
    std::vector<Finding> findings;
    for (std::size_t i = 0; i < series_.size(); ++i) findings.push_back(finding(i, stage));
    adjust(findings);
    return findings;
  }

 private:
  bool planned_look(std::size_t i, int round) {
    if (states_[i].kind == Kind::same) return false;
    const auto& rounds = series_[i].rounds;
    const auto at = std::ranges::lower_bound(rounds, round);
    if (at == rounds.end() || *at != round) return false;
    const int n = static_cast<int>(at - rounds.begin()) + 1;
    if (!planned(i).due_at(n)) return false;
    look(i, n);
    return true;
  }

  /// At the last pairs of a finding that ended otherwise than at a planned look.
  void closing_look(std::size_t i) {
    const int n = pairs_of(i);
    if (states_[i].kind == Kind::open && n > 0 && !planned(i).due_at(n)) look(i, n);
  }

  void look(std::size_t i, int n) {
    const auto estimate = estimate_at(i, n);
    const auto& at = look_at(i, n);
    auto& state = states_[i];
    if (state.kind == Kind::changed) {  // how sure of it one is
      if (has_all_values(i, n, estimate) && estimate.direction() == state.direction)
        state.p = std::min(state.p, p_of_no_change(estimate, at));
      return;
    }
    ++state.looks;
    if (!has_all_values(i, n, estimate)) return;
    const double p = p_of_no_change(estimate, at);
    state.p = std::min(state.p, p);
    state.obstacle = Price::Obstacle::none;
    look_at_change(state, n, estimate, at, p);
    look_at_same(state, n, estimate, at);
    if (!family_.tells_rest()) return;
    const auto shown = estimate.shown_of_rest(q_ * family_.share * share_of_each_other * at.share() /
                                              static_cast<double>(series_.size()));
    if (state.slow == 0) state.slow = shown.slow;
    if (state.mean == 0) state.mean = shown.mean;
  }

  static double p_of_no_change(const Estimate& estimate, const schedule::LookAt& at) {
    return std::max(at.p_value(estimate.count_of_no_change()),
                    estimate.is_early() ? at.p_value_of_level(estimate.p_by_means()) : 0);
  }

  void look_at_change(State& state, int n, const Estimate& estimate, const schedule::LookAt& at,
                      double p) const {
    // Above q nothing is selected, whatever the estimate, which takes a while.
    const bool changed = p <= q_changed_ && estimate.beyond_margin() && estimate.is_large_enough();
    if (changed && (estimate.fast_runs_stand_alone() ||
                    estimate.rest_opposes(at.is_last() ? withheld_at : leaning_at))) {
      state.obstacle = Price::Obstacle::fast_and_slow;
      state.changed = {};
    } else if (changed) {
      const auto direction = estimate.direction();
      if (p <= state.changed.p || direction != state.direction) state.changed = {p, n};
      state.direction = direction;
    } else if (state.changed.rounds > 0 &&
               !(estimate.beyond_margin() && estimate.direction() == state.direction)) {
      state.changed = {};
    }
  }

  void look_at_same(State& state, int n, const Estimate& estimate, const schedule::LookAt& at) const {
    if (estimate.is_early()) return;
    const double p = at.p_value(estimate.count_of_same());
    if (p <= q_) {
      const auto rest = estimate.rest();
      const bool enough = rest == Estimate::Rest::alike || (at.is_last() && rest == Estimate::Rest::too_few);
      if (!enough) {
        if (rest != Estimate::Rest::too_few) state.obstacle = Price::Obstacle::slow_runs;
        state.same = {};
        return;
      }
    }
    if (p < state.same.p) state.same = {p, n};
  }

  const schedule::LookPlan& planned(std::size_t i) const { return planned_.at(series_[i].repeats); }

  const schedule::LookAt& look_at(std::size_t i, int n) const {
    const auto& repeats = series_[i].repeats;
    return looks_.try_emplace({repeats, n}, planned(i), n, q_).first->second;
  }

  int pairs_of(std::size_t i) const { return static_cast<int>(series_[i].rounds.size()); }

  Estimate estimate_at(std::size_t i, int n) const {
    return estimate_of(series_[i], static_cast<std::size_t>(n), family_.question);
  }

  /// False where rounds without a pair left a layout out: a look's counts are those of more values then.
  bool has_all_values(std::size_t i, int n, const Estimate& estimate) const {
    const auto& repeats = series_[i].repeats;
    return repeats.layouts == 0 || estimate.n() == static_cast<std::size_t>(repeats.values_of(n));
  }

  Finding described(std::size_t i, int n, const Estimate& estimate, double alpha) const {
    const auto critical = has_all_values(i, n, estimate) ? look_at(i, n).critical_count(alpha) : 0;
    auto finding = estimate.describe(critical, 1 - alpha);
    finding.rounds = static_cast<std::size_t>(n);
    return finding;
  }

  void select() {
    for (const auto kind : {Kind::changed, Kind::same}) {
      std::vector<double> p;
      for (const auto& state : states_) p.push_back(kind == Kind::changed ? state.changed.p : state.same.p);
      const auto adjusted = stats::adjust_benjamini_hochberg(p);
      for (std::size_t i = 0; i < states_.size(); ++i)
        if (states_[i].kind == Kind::open && adjusted[i] <= rate_of(kind)) states_[i].kind = kind;
    }
  }

  double rate_of(Kind kind) const { return kind == Kind::same ? q_ : q_changed_; }

  /// The error rate of a finding's interval.
  double interval_alpha(Kind kind) const {
    const double m = static_cast<double>(series_.size());
    const auto selected = [&](Kind k) {
      return static_cast<double>(std::ranges::count(states_, k, &State::kind));
    };
    const double r = kind == Kind::open
                         ? std::max(1.0, std::min(selected(Kind::changed), selected(Kind::same)))
                         : selected(kind);
    return r * rate_of(kind) / m;
  }

  /// The share of a rate at which one more finding would be selected.
  double next_share() const {
    const double m = static_cast<double>(series_.size());
    const auto most = std::max(std::ranges::count(states_, Kind::changed, &State::kind),
                               std::ranges::count(states_, Kind::same, &State::kind));
    return std::min(1.0, (static_cast<double>(most) + 1) / m);
  }

  /// The last pairs that a look has been taken at, or would be: in a campaign that has ended, all of them.
  int last_shown(std::size_t i, Stage stage) const {
    const int all = pairs_of(i);
    if (stage == Stage::ended) return all;
    const auto last = planned(i).last_by(all);
    return last ? planned(i).counts()[*last] : 0;
  }

  /// What is known of a settled finding: from everything measured since, unless that would not show what was
  /// found when it was settled.
  Finding settled_finding(std::size_t i, Stage stage, double alpha) const {
    const auto& state = states_[i];
    const bool changed = state.kind == Kind::changed;
    const int then = changed ? state.changed.rounds : state.same.rounds;
    if (const int now = last_shown(i, stage); now > then) {
      const auto estimate = estimate_at(i, now);
      const auto shown = described(i, now, estimate, alpha);
      const bool agrees = changed ? !shown.interval.contains(Effect::none(shown.effect.scale).value) &&
                                        estimate.direction() == state.direction
                                  : estimate.is_within_margin(shown);
      if (agrees || is_taken_back(state, estimate)) return shown;
    }
    return described(i, then, estimate_at(i, then), alpha);
  }

  /// Whether the rest of the runs, as it is known now, denies what was settled.
  static bool is_taken_back(const State& state, const Estimate& now) {
    return state.kind == Kind::changed ? now.rest_opposes(withheld_at) : now.rest() == Estimate::Rest::unlike;
  }

  /// Of what is still open, everything measured is shown, as far as a look there would tell.
  Finding open_finding(std::size_t i, double alpha) const {
    const int n = pairs_of(i);
    const auto estimate = estimate_at(i, n);
    auto finding = described(i, n, estimate, alpha);
    if (states_[i].obstacle != Price::Obstacle::none)
      finding.to_settle = Price{.obstacle = states_[i].obstacle};
    else if (family_.priced && family_.question.metric.prefer != Prefer::neither)
      finding.to_settle = price_by_resampling(estimate, std::min(family_.min_rounds, family_.max_rounds),
                                              q_changed_ * next_share(), q_ * next_share());
    // Nothing is decided between looks: the next one that is planned is the soonest.
    const auto next = planned(i).next_after(n);
    if (finding.to_settle && finding.to_settle->rounds > 0 && next)
      finding.to_settle->rounds = std::max(finding.to_settle->rounds, *next);
    return finding;
  }

  Finding finding(std::size_t i, Stage stage) const {
    const auto& state = states_[i];
    if (pairs_of(i) == 0) return Finding{.of = series_[i].of};
    const bool settled = state.kind != Kind::open;
    const double alpha = interval_alpha(state.kind);
    auto finding = settled ? settled_finding(i, stage, alpha) : open_finding(i, alpha);
    finding.of = series_[i].of;
    finding.repeats = series_[i].repeats;
    finding.p = std::min(1.0, state.p * q_ / q_changed_);
    finding.p_same = state.same.p;
    finding.settled = settled;
    if (finding.slow) finding.slow->shown = state.slow;
    if (finding.mean) finding.mean->shown = state.mean;
    if (settled)
      finding.settled_at =
          static_cast<std::size_t>(state.kind == Kind::changed ? state.changed.rounds : state.same.rounds);
    finding.looks = state.looks;
    if (state.kind == Kind::same) finding.verdict = Verdict::same;
    if (state.kind == Kind::changed && family_.question.metric.prefer != Prefer::neither)
      finding.verdict = state.direction;
    if (finding.verdict != Verdict::unclear) finding.to_settle.reset();
    if (settled && is_taken_back(state, estimate_at(i, static_cast<int>(finding.rounds)))) {
      finding.verdict = Verdict::unclear;
      finding.to_settle = Price{.obstacle = state.kind == Kind::changed ? Price::Obstacle::fast_and_slow
                                                                        : Price::Obstacle::slow_runs};
    }
    return finding;
  }

  /// p over the family is of what would be called, so that it can't contradict the verdict: 1 for a change
  /// inside the margin, or one that slow runs deny.
  void adjust(std::vector<Finding>& findings) const {
    std::vector<double> p;
    for (const auto& state : states_)
      p.push_back(std::min(1.0, q_ / q_changed_ *
                                    (state.changed.rounds > 0 ? state.changed.p
                                     : state.p > q_changed_   ? state.p
                                                              : 1)));
    const auto adjusted = stats::adjust_benjamini_hochberg(p);
    for (std::size_t i = 0; i < findings.size(); ++i) findings[i].p_adjusted = adjusted[i];
  }

  std::span<const PairedSeries> series_;
  const Family& family_;
  double q_, q_changed_;  ///< of `same`, and of changes of typical runs
  std::map<Repeats, schedule::LookPlan> planned_;
  std::vector<State> states_;
  mutable std::map<std::pair<Repeats, int>, schedule::LookAt>
      looks_;  ///< by pairs; one takes a while to make
};

}  // namespace

double Family::rate_of_changes() const {
  return (1 - question.level) * share * (tells_rest() ? share_of_typical : 1);
}

std::vector<Finding> settle(std::span<const PairedSeries> series, const Family& family, Stage stage) {
  if (series.empty()) return {};
  return Settling(series, family).run(stage);
}

}  // namespace assay::inline v1::judge
