#include "assay/judge/sequential.hpp"

#include <algorithm>
#include <map>
#include <memory>
#include <optional>
#include <set>

#include "assay/judge/forecast.hpp"
#include "assay/judge/machines.hpp"
#include "assay/judge/paired_series.hpp"
#include "assay/judge/paired_test.hpp"
#include "assay/schedule/interim_looks.hpp"
#include "assay/stats/multiple_testing.hpp"

namespace assay::judge {
namespace {

enum class Decision { open, changed, same };

/// The smallest p-value that the looks at a finding have shown, and the pairs at that look.
struct BestP {
  double p = 1;
  int rounds = 0;
};

/// One finding on its way.
struct DecisionState {
  Decision kind = Decision::open;
  int looks = 0;  ///< taken until it was decided, or so far
  double p = 1;   ///< of no change, over all looks
  BestP changed, same;
  Verdict direction = Verdict::unclear;                                ///< of `changed`
  RoundsToDecide::Obstacle obstacle = RoundsToDecide::Obstacle::none;  ///< why the last look decided nothing
  int slow = 0, mean = 0;  ///< shown to be more (1) or less (−1), at the error rate that verdicts share
};

class SequentialAnalysis {
 public:
  SequentialAnalysis(std::span<const PairedSeries> series, const TestFamily& family)
      : series_(series),
        family_(family),
        q_(1 - family.options.level),
        q_changed_(family.rate_of_changes()),
        states_(series.size()) {
    for (const auto& s : series)
      if (!planned_.contains(s.replication))
        planned_.try_emplace(s.replication, family.min_rounds, family.max_rounds, s.replication);
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
    if (states_[i].kind == Decision::same) return false;
    const auto& rounds = series_[i].rounds;
    const auto at = std::ranges::lower_bound(rounds, round);
    if (at == rounds.end() || *at != round) return false;
    const int n = static_cast<int>(at - rounds.begin()) + 1;
    if (!planned(i).look_at(n)) return false;
    look(i, n);
    return true;
  }

  /// At the last pairs of a finding that ended otherwise than at a planned look.
  void closing_look(std::size_t i) {
    const int n = pairs_of(i);
    if (states_[i].kind == Decision::open && n > 0 && !planned(i).look_at(n)) look(i, n);
  }

  void look(std::size_t i, int n) {
    const auto estimate = estimate_at(i, n);
    const auto& at = look_at(i, n);
    auto& state = states_[i];
    if (state.kind == Decision::changed) {  // how sure of it one is
      if (has_all_values(i, n, estimate) && estimate.direction() == state.direction)
        state.p = std::min(state.p, p_of_no_change(estimate, at));
      return;
    }
    ++state.looks;
    if (!has_all_values(i, n, estimate)) return;
    const MachineComparison machines(series_[i], static_cast<std::size_t>(n), family_.options.metric.scale);
    const double p = p_of_no_change(estimate, at);
    state.p = std::min(state.p, p);
    state.obstacle = RoundsToDecide::Obstacle::none;
    look_at_change(state, n, estimate, at, p);
    look_at_same(state, n, estimate, at, machines);
    if (machines.disagree(family_.options.margin)) {
      state.obstacle = RoundsToDecide::Obstacle::machines_disagree;
      state.changed = state.same = {};
    }
    if (!family_.tells_rest()) return;
    const auto shown = estimate.shown_of_rest(q_ * family_.share * share_of_each_other * at.share() /
                                              static_cast<double>(series_.size()));
    if (state.slow == 0) state.slow = shown.slow;
    if (state.mean == 0) state.mean = shown.mean;
  }

  static double p_of_no_change(const PairedTest& estimate, const schedule::LookAt& at) {
    return std::max(at.p_value(estimate.count_difference()),
                    estimate.is_early() ? at.p_value_of_level(estimate.p_by_means()) : 0);
  }

  void look_at_change(DecisionState& state, int n, const PairedTest& estimate, const schedule::LookAt& at,
                      double p) const {
    // Above q nothing is selected, whatever the estimate, which takes a while.
    const bool changed = p <= q_changed_ && estimate.beyond_margin() && estimate.is_large_enough();
    if (changed && (estimate.fast_runs_stand_alone() ||
                    estimate.rest_opposes(at.is_last() ? withheld_at : leaning_at))) {
      state.obstacle = RoundsToDecide::Obstacle::fast_and_slow;
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

  void look_at_same(DecisionState& state, int n, const PairedTest& estimate, const schedule::LookAt& at,
                    const MachineComparison& machines) const {
    if (estimate.is_early()) return;
    const double p = at.p_value(estimate.count_equivalence());
    if (p <= q_) {
      const auto rest = estimate.rest();
      const bool enough =
          rest == PairedTest::Rest::alike || (at.is_last() && rest == PairedTest::Rest::too_few);
      if (!enough) {
        if (rest != PairedTest::Rest::too_few) state.obstacle = RoundsToDecide::Obstacle::slow_runs;
        state.same = {};
        return;
      }
      if (machines.one_is_beyond(family_.options.margin)) {
        state.obstacle = RoundsToDecide::Obstacle::machines_disagree;
        state.same = {};
        return;
      }
    }
    if (p < state.same.p) state.same = {p, n};
  }

  const schedule::LookSchedule& planned(std::size_t i) const { return planned_.at(series_[i].replication); }

  const schedule::LookAt& look_at(std::size_t i, int n) const {
    const auto& repeats = series_[i].replication;
    return looks_.try_emplace({repeats, n}, planned(i), n, q_).first->second;
  }

  int pairs_of(std::size_t i) const { return static_cast<int>(series_[i].rounds.size()); }

  PairedTest estimate_at(std::size_t i, int n) const {
    return estimate_of(series_[i], static_cast<std::size_t>(n), family_.options);
  }

  /// False where rounds without a pair left a layout out: a look's counts are those of more values then.
  bool has_all_values(std::size_t i, int n, const PairedTest& estimate) const {
    const auto& repeats = series_[i].replication;
    return repeats.layouts == 0 || estimate.n() == static_cast<std::size_t>(repeats.independent_values(n));
  }

  Finding described(std::size_t i, int n, const PairedTest& estimate, double alpha) const {
    const auto critical = has_all_values(i, n, estimate) ? look_at(i, n).critical_count(alpha) : 0;
    auto finding = estimate.to_finding(critical, 1 - alpha);
    finding.rounds = static_cast<std::size_t>(n);
    return finding;
  }

  void select() {
    for (const auto kind : {Decision::changed, Decision::same}) {
      std::vector<double> p;
      for (const auto& state : states_)
        p.push_back(kind == Decision::changed ? state.changed.p : state.same.p);
      const auto adjusted = stats::adjust_benjamini_hochberg(p);
      for (std::size_t i = 0; i < states_.size(); ++i)
        if (states_[i].kind == Decision::open && adjusted[i] <= rate_of(kind)) states_[i].kind = kind;
    }
  }

  double rate_of(Decision kind) const { return kind == Decision::same ? q_ : q_changed_; }

  /// The error rate of a finding's interval.
  double interval_alpha(Decision kind) const {
    const double m = static_cast<double>(series_.size());
    const auto selected = [&](Decision k) {
      return static_cast<double>(std::ranges::count(states_, k, &DecisionState::kind));
    };
    const double r = kind == Decision::open
                         ? std::max(1.0, std::min(selected(Decision::changed), selected(Decision::same)))
                         : selected(kind);
    return r * rate_of(kind) / m;
  }

  /// The share of a rate at which one more finding would be selected.
  double next_share() const {
    const double m = static_cast<double>(series_.size());
    const auto most = std::max(std::ranges::count(states_, Decision::changed, &DecisionState::kind),
                               std::ranges::count(states_, Decision::same, &DecisionState::kind));
    return std::min(1.0, (static_cast<double>(most) + 1) / m);
  }

  /// The last pairs that a look has been taken at, or would be: in a campaign that has ended, all of them.
  int last_shown(std::size_t i, Stage stage) const {
    const int all = pairs_of(i);
    if (stage == Stage::ended) return all;
    const auto last = planned(i).last_look_by(all);
    return last ? planned(i).counts()[*last] : 0;
  }

  /// What is known of a decided finding: from everything measured since, unless that would not show what was
  /// found when it was decided.
  Finding settled_finding(std::size_t i, Stage stage, double alpha) const {
    const auto& state = states_[i];
    const bool changed = state.kind == Decision::changed;
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

  /// Whether the rest of the runs, as it is known now, denies what was decided.
  static bool is_taken_back(const DecisionState& state, const PairedTest& now) {
    return state.kind == Decision::changed ? now.rest_opposes(withheld_at)
                                           : now.rest() == PairedTest::Rest::unlike;
  }

  /// Of what is still open, everything measured is shown, as far as a look there would tell.
  Finding open_finding(std::size_t i, double alpha) const {
    const int n = pairs_of(i);
    const auto estimate = estimate_at(i, n);
    auto finding = described(i, n, estimate, alpha);
    if (states_[i].obstacle != RoundsToDecide::Obstacle::none)
      finding.rounds_to_decide = RoundsToDecide{.obstacle = states_[i].obstacle};
    else if (family_.priced && family_.options.metric.direction != Direction::neither)
      finding.rounds_to_decide = rounds_needed(estimate, std::min(family_.min_rounds, family_.max_rounds),
                                               q_changed_ * next_share(), q_ * next_share());
    // Nothing is decided between looks: the next one that is planned is the soonest.
    const auto next = planned(i).next_after(n);
    if (finding.rounds_to_decide && finding.rounds_to_decide->rounds > 0 && next)
      finding.rounds_to_decide->rounds = std::max(finding.rounds_to_decide->rounds, *next);
    return finding;
  }

  Finding finding(std::size_t i, Stage stage) const {
    const auto& state = states_[i];
    if (pairs_of(i) == 0) return Finding{.comparison = series_[i].comparison};
    const bool settled = state.kind != Decision::open;
    const double alpha = interval_alpha(state.kind);
    auto finding = settled ? settled_finding(i, stage, alpha) : open_finding(i, alpha);
    finding.comparison = series_[i].comparison;
    finding.replication = series_[i].replication;
    finding.p = std::min(1.0, state.p * q_ / q_changed_);
    finding.p_equivalence = state.same.p;
    finding.decided = settled;
    if (finding.slow) finding.slow->shown = state.slow;
    if (finding.mean) finding.mean->shown = state.mean;
    if (settled)
      finding.decided_at_round = static_cast<std::size_t>(
          state.kind == Decision::changed ? state.changed.rounds : state.same.rounds);
    finding.looks = state.looks;
    if (state.kind == Decision::same) finding.verdict = Verdict::same;
    if (state.kind == Decision::changed && family_.options.metric.direction != Direction::neither)
      finding.verdict = state.direction;
    if (finding.verdict != Verdict::unclear) finding.rounds_to_decide.reset();
    if (settled && is_taken_back(state, estimate_at(i, static_cast<int>(finding.rounds)))) {
      finding.verdict = Verdict::unclear;
      finding.rounds_to_decide =
          RoundsToDecide{.obstacle = state.kind == Decision::changed ? RoundsToDecide::Obstacle::fast_and_slow
                                                                     : RoundsToDecide::Obstacle::slow_runs};
    }
    describe_machines(series_[i], family_.options.metric, finding);
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
  const TestFamily& family_;
  double q_, q_changed_;  ///< of `same`, and of changes of typical runs
  std::map<Replication, schedule::LookSchedule> planned_;
  std::vector<DecisionState> states_;
  mutable std::map<std::pair<Replication, int>, schedule::LookAt>
      looks_;  ///< by pairs; one takes a while to make
};

}  // namespace

double TestFamily::rate_of_changes() const {
  return (1 - options.level) * share * (tells_rest() ? share_of_typical : 1);
}

std::vector<Finding> decide_family(std::span<const PairedSeries> series, const TestFamily& family,
                                   Stage stage) {
  if (series.empty()) return {};
  return SequentialAnalysis(series, family).run(stage);
}

}  // namespace assay::judge
