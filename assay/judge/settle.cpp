#include "assay/judge/settle.hpp"

#include <algorithm>
#include <set>

#include "assay/judge/estimate.hpp"
#include "assay/schedule/look_plan.hpp"
#include "assay/stats/many.hpp"

namespace assay::inline v1::judge {
namespace {

enum class Kind { open, changed, same };

/// One finding on its way.
struct State {
  Kind kind = Kind::open;
  std::vector<int> looks;  ///< taken so far
  double p = 1, p_changed = 1, p_same = 1;
  Verdict direction = Verdict::unclear;
  bool disagree = false;  ///< fast and slow runs changed in opposite directions
};

class Settling {
 public:
  Settling(std::span<const PairedSeries> series, const Family& family)
      : series_(series),
        family_(family),
        q_(1 - family.question.level),
        planned_(family.min_rounds, family.max_rounds),
        states_(series.size()) {}

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
    for (std::size_t i = 0; i < series_.size(); ++i) findings.push_back(finding(i));
    adjust(findings);
    return findings;
  }

 private:
  bool planned_look(std::size_t i, int round) {
    if (states_[i].kind != Kind::open) return false;
    const auto& rounds = series_[i].rounds;
    const auto at = std::ranges::lower_bound(rounds, round);
    if (at == rounds.end() || *at != round) return false;
    const int n = static_cast<int>(at - rounds.begin()) + 1;
    const auto place = planned_.due_at(n);
    if (!place) return false;
    look(i, n, planned_counts(), *place);
    return true;
  }

  std::vector<int> planned_counts() const { return {planned_.counts().begin(), planned_.counts().end()}; }

  /// At the last pairs of a finding that ended otherwise than at a planned look: the looks taken, and this
  /// one.
  void closing_look(std::size_t i) {
    const int n = static_cast<int>(series_[i].rounds.size());
    auto& state = states_[i];
    if (state.kind != Kind::open || n == 0 || (!state.looks.empty() && state.looks.back() == n)) return;
    auto looks = state.looks;
    looks.push_back(n);
    look(i, n, looks, looks.size() - 1);
  }

  void look(std::size_t i, int n, const std::vector<int>& looks, std::size_t k) {
    const auto estimate = estimate_at(i, n);
    const auto boundary = schedule::boundary_for(looks, q_);
    auto& state = states_[i];
    state.looks.push_back(n);
    state.p = boundary->p_value(k, estimate.count_of_no_change());
    // Above q nothing is selected, whatever the estimate, which takes a while.
    const bool changed = state.p <= q_ && estimate.beyond_margin();
    state.disagree = changed && estimate.slow_runs_disagree();
    state.p_changed = changed && !state.disagree ? state.p : 1;
    state.p_same = boundary->p_value(k, estimate.count_of_same());
    if (changed) state.direction = estimate.direction();
  }

  Estimate estimate_at(std::size_t i, int n) const {
    const auto count = static_cast<std::size_t>(n);
    return {std::span(series_[i].baseline).first(count), std::span(series_[i].candidate).first(count),
            family_.question};
  }

  void select() {
    for (const auto kind : {Kind::changed, Kind::same}) {
      std::vector<double> p;
      for (const auto& state : states_) p.push_back(kind == Kind::changed ? state.p_changed : state.p_same);
      const auto adjusted = family_.strict ? stats::adjust_holm(p) : stats::adjust_benjamini_hochberg(p);
      for (std::size_t i = 0; i < states_.size(); ++i)
        if (states_[i].kind == Kind::open && adjusted[i] <= q_) states_[i].kind = kind;
    }
  }

  /// The error rate of a finding's interval.
  double interval_alpha(Kind kind) const {
    const double m = static_cast<double>(series_.size());
    if (family_.strict) return q_ / m;
    const auto selected = [&](Kind k) {
      return static_cast<double>(std::ranges::count(states_, k, &State::kind));
    };
    const double r = kind == Kind::open
                         ? std::max(1.0, std::min(selected(Kind::changed), selected(Kind::same)))
                         : selected(kind);
    return r * q_ / m;
  }

  Finding finding(std::size_t i) const {
    const auto& state = states_[i];
    const int all = static_cast<int>(series_[i].rounds.size());
    if (all == 0) return Finding{.of = series_[i].of};
    const bool settled = state.kind != Kind::open;
    // Of what is still open, everything measured is shown, as far as a look there would tell.
    const int n = settled ? state.looks.back() : all;
    auto looks = state.looks;
    if (looks.empty() || looks.back() != n) looks.push_back(n);
    const auto place = planned_.due_at(n);
    const std::size_t k = place.value_or(looks.size() - 1);
    const double alpha = interval_alpha(state.kind);
    const auto boundary = schedule::boundary_for(place ? planned_counts() : looks, alpha);
    const auto estimate = estimate_at(i, n);
    auto finding = estimate.describe(boundary->critical_count(k), 1 - alpha);
    finding.slow_runs = estimate.slow_runs();
    finding.of = series_[i].of;
    finding.p = state.p;
    finding.p_same = state.p_same;
    finding.settled = settled;
    finding.looks = static_cast<int>(state.looks.size());
    if (state.kind == Kind::same) finding.verdict = Verdict::same;
    if (state.kind == Kind::changed && family_.question.metric.prefer != Prefer::neither)
      finding.verdict = state.direction;
    if (finding.verdict != Verdict::unclear) finding.to_settle.reset();
    if (finding.to_settle && state.disagree)
      finding.to_settle = Price{.obstacle = Price::Obstacle::fast_and_slow};
    // Nothing is decided between looks: the next one that is planned is the soonest.
    const auto next = planned_.next_after(n);
    if (finding.to_settle && finding.to_settle->rounds > 0 && next)
      finding.to_settle->rounds = std::max(finding.to_settle->rounds, *next);
    return finding;
  }

  void adjust(std::vector<Finding>& findings) const {
    std::vector<double> p;
    for (const auto& f : findings) p.push_back(f.p);
    const auto adjusted = family_.strict ? stats::adjust_holm(p) : stats::adjust_benjamini_hochberg(p);
    for (std::size_t i = 0; i < findings.size(); ++i) findings[i].p_adjusted = adjusted[i];
  }

  std::span<const PairedSeries> series_;
  const Family& family_;
  double q_;
  schedule::LookPlan planned_;
  std::vector<State> states_;
};

}  // namespace

std::vector<Finding> settle(std::span<const PairedSeries> series, const Family& family, Stage stage) {
  if (series.empty()) return {};
  return Settling(series, family).run(stage);
}

}  // namespace assay::inline v1::judge
