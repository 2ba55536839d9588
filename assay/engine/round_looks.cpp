// When a round loop looks for verdicts, and what it learns by that.

#include <algorithm>
#include <set>

#include "assay/engine/round_loop.hpp"
#include "assay/judge/aa_checks.hpp"
#include "assay/judge/judge.hpp"
#include "assay/judge/paired_series.hpp"
#include "assay/judge/stopping.hpp"
#include "assay/model/observations.hpp"

namespace assay::engine {

Replication RoundLoop::repeats_of(const Comparison& of) const {
  return {slots_[of.baseline], slots_[of.candidate]};
}

/// The most rounds that a comparison which can still be measured needs for its first look.
int RoundLoop::first_look() const {
  const auto& design = recorder_.design();
  const auto& states = recorder_.statuses();
  int most = 0;
  if (design.rules.rounds_max == 0) return most;
  for (const auto& comparison : design.comparisons)
    if (!design.is_twin(comparison.candidate) && states[comparison.baseline].is_ok() &&
        states[comparison.candidate].is_ok())
      most = std::max(most, judge::first_deciding_look(design, repeats_of(comparison)));
  return most;
}

/// Judged rounds of which a twin is part.
int RoundLoop::rounds_with_twins() const {
  const auto& design = recorder_.design();
  if (std::ranges::none_of(design.candidates, [](const Candidate& c) { return c.twin_of.has_value(); }))
    return 0;
  return static_cast<int>(std::ranges::count_if(recorder_.log().rounds, [&](const Round& round) {
    return round.role == Role::measured && round.state == RoundState::complete &&
           std::ranges::any_of(round.order, [&](CellId cell) { return design.is_twin(cell); });
  }));
}

/// Whether a finding may have come to a planned look since this was last asked: each has a pair from every judged round
/// (twins from theirs), but for those in which a trial failed.
bool RoundLoop::is_due() {
  const auto& rules = recorder_.design().rules;
  const int before = std::min(looked_, judged_ - 1);
  looked_ = judged_;
  if (always_due_ || !confirming_.empty()) return true;
  if (rules.rounds_max == 0) return false;
  const int with_twins = rounds_with_twins(), twins_before = std::min(looked_at_twins_, with_twins - 1);
  looked_at_twins_ = with_twins;
  std::set<Replication> kinds;
  for (const auto& comparison : recorder_.design().comparisons) kinds.insert(repeats_of(comparison));
  return std::ranges::any_of(kinds, [&](const Replication& repeats) {
    const auto looks = judge::looks_of(rules, repeats);
    const auto any_due = [&](int from, int upto) {
      for (int rounds = from + 1; rounds <= upto; ++rounds)
        if (looks.is_due(rounds - without_pair_, rounds)) return true;
      return false;
    };
    return any_due(before, judged_) || any_due(twins_before, with_twins);
  });
}

/// Takes the looks that are due, and sees which comparisons are done.
void RoundLoop::take_look() {
  const Observations evidence(recorder_.design(), recorder_.log());
  const auto watched = judge::interim_findings(recorder_.design(), evidence);
  for (const auto& finding : watched) recorder_.add_look(finding);
  auto aim = policy_.criteria();
  aim.rounds = policy_.rounds_expected(so_far());
  settled_.merge(judge::finished_comparisons(evidence, watched, aim));
  recorder_.set_decided(settled_);
  confirming_ = judge::aa_to_confirm(evidence, watched);
}

}  // namespace assay::engine
