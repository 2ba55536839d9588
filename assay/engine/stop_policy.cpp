#include "assay/engine/stop_policy.hpp"

#include <algorithm>

#include "assay/model/plan.hpp"
#include "assay/schedule/order.hpp"

namespace assay::engine {
namespace {

class UntilDecided : public StopPolicy {
 public:
  UntilDecided(int rounds, std::optional<double> budget, const judge::StopCriteria& aim)
      : rounds_(rounds), budget_(budget), aim_(aim) {}

  std::optional<StopReason> stop_reason(const RoundContext& so_far) const override {
    const bool none_open = active_cells(so_far.design, so_far.statuses, so_far.decided, false).empty();
    constexpr int most_to_confirm = 20;  // beyond those planned, also where trials fail
    if (has_had_all(so_far) && (so_far.confirming.empty() || so_far.judged >= rounds_ + most_to_confirm))
      return StopReason::rounds;
    if (none_open && so_far.confirming.empty())
      return so_far.decided.empty() ? StopReason::nothing_left : StopReason::decided;
    if (budget_ && so_far.begun_here > 0 && so_far.spent + so_far.longest_round > *budget_ &&
        !is_stretched(so_far))
      return StopReason::budget;
    return {};
  }
  std::vector<CellId> cells(const RoundContext& so_far, int number) const override {
    const bool over = has_had_all(so_far);
    const bool twins = schedule::is_twin_round(number) && has_time_for_twins(so_far);
    std::set<CellId> open;
    if (!over) {
      const auto cells = active_cells(so_far.design, so_far.statuses, so_far.decided, twins);
      open.insert(cells.begin(), cells.end());
    }
    for (const auto& comparison : so_far.confirming) open.insert({comparison.baseline, comparison.candidate});
    return {open.begin(), open.end()};
  }
  Role role(const Rules& rules, int number) const override {
    return schedule::is_control_round(number, rules.way) ? Role::control : Role::measured;
  }
  bool takes_looks() const override { return true; }
  int rounds() const override { return is_open() ? 0 : rounds_; }
  int rounds_expected(const RoundContext& so_far) const override {
    // Warm-ups, pilots and controls take time too.
    const double each = so_far.spent / std::max({so_far.judged, so_far.begun_here, 1});
    if (!(each > 0)) return is_open() ? PlannedRounds::most_rounds : rounds_;
    const auto within = [&](double seconds) {
      const double more = std::max(0.0, (seconds - so_far.spent) / each);
      return so_far.judged + static_cast<int>(std::min(more, double{PlannedRounds::open_end}));
    };
    if (budget_) return std::min(rounds_, within(*budget_));
    return is_open() ? std::max(PlannedRounds::most_rounds, within(seconds_without_budget(so_far))) : rounds_;
  }
  std::optional<double> budget() const override { return budget_; }
  std::optional<double> seconds_expected(const RoundContext& so_far) const override {
    return budget_ ? *budget_ : seconds_without_budget(so_far);
  }
  judge::StopCriteria criteria() const override { return aim_; }

 private:
  bool is_open() const { return rounds_ >= PlannedRounds::open_end; }

  static double seconds_without_budget(const RoundContext& so_far) {
    const auto comparisons = std::ranges::count_if(so_far.design.comparisons, [&](const Comparison& of) {
      return !so_far.design.is_twin(of.candidate) && so_far.statuses[of.baseline].is_ok() &&
             so_far.statuses[of.candidate].is_ok();
    });
    return PlannedRounds::seconds_each * static_cast<double>(comparisons);
  }

  /// Whether the first look is still to come, and within reach.
  bool is_stretched(const RoundContext& so_far) const {
    const int left = so_far.first_look - so_far.judged;
    return left > 0 && so_far.spent + left * so_far.longest_round <= most_stretch * *budget_;
  }

  bool has_had_all(const RoundContext& so_far) const {
    if (!is_open()) return so_far.judged >= rounds_;
    return !budget_ && so_far.judged >= PlannedRounds::most_rounds &&
           so_far.spent >= seconds_without_budget(so_far);
  }

  bool has_time_for_twins(const RoundContext& so_far) const {
    return !budget_ || 2 * so_far.first_look * so_far.longest_round <= *budget_;
  }

  int rounds_;
  std::optional<double> budget_;
  judge::StopCriteria aim_;
};

class Fixed : public StopPolicy {
 public:
  explicit Fixed(int rounds) : rounds_(rounds) {}

  std::optional<StopReason> stop_reason(const RoundContext& so_far) const override {
    if (so_far.judged >= rounds_) return StopReason::rounds;
    return active_cells(so_far.design, so_far.statuses).empty() ? std::optional(StopReason::nothing_left)
                                                                : std::nullopt;
  }
  std::vector<CellId> cells(const RoundContext& so_far, int) const override {
    return active_cells(so_far.design, so_far.statuses);
  }
  Role role(const Rules&, int) const override { return Role::measured; }
  bool takes_looks() const override { return false; }
  int rounds() const override { return rounds_; }

 private:
  int rounds_;
};

}  // namespace

std::unique_ptr<StopPolicy> until_decided(int rounds, std::optional<double> budget,
                                          const judge::StopCriteria& aim) {
  return std::make_unique<UntilDecided>(rounds, budget, aim);
}

std::unique_ptr<StopPolicy> fixed_rounds(int rounds) { return std::make_unique<Fixed>(rounds); }

std::vector<CellId> active_cells(const Design& design, const IdTable<CellId, CellStatus>& states,
                                 const std::set<Comparison>& decided, bool with_twins) {
  std::set<CellId> open;
  for (const bool twins : {false, true})
    for (const auto& comparison : design.comparisons)
      if (design.is_twin(comparison.candidate) == twins && (with_twins || !twins) &&
          !decided.contains(comparison) && states[comparison.baseline].is_ok() &&
          states[comparison.candidate].is_ok() && (!twins || open.contains(comparison.baseline)))
        open.insert({comparison.baseline, comparison.candidate});
  return {open.begin(), open.end()};
}

}  // namespace assay::engine
