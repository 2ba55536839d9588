#include "assay/engine/stop_policy.hpp"

#include <algorithm>

#include "assay/model/plan.hpp"
#include "assay/schedule/order.hpp"

namespace assay::engine {
namespace {

class UntilDecided : public StopPolicy {
 public:
  UntilDecided(int rounds, std::optional<double> budget, bool abreast, const judge::StopCriteria& aim,
               bool to_first_look)
      : rounds_(rounds), budget_(budget), abreast_(abreast), aim_(aim), to_first_look_(to_first_look) {}

  std::optional<StopReason> stop_reason(const RoundContext& so_far) const override {
    const bool none_open = active_cells(so_far.design, so_far.statuses, so_far.decided, false).empty();
    constexpr int most_to_confirm = 20;  // beyond those planned, also where trials fail
    if (has_had_all(so_far) && (so_far.confirming.empty() || so_far.judged >= rounds_ + most_to_confirm))
      return StopReason::rounds;
    if (none_open && so_far.confirming.empty())
      return so_far.decided.empty() ? StopReason::nothing_left : StopReason::decided;
    if (budget_ && so_far.begun_here > 0 && !(to_first_look_ && so_far.judged < so_far.first_look) &&
        so_far.spent + so_far.longest_round > *budget_)
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
  Role role(int number) const override {
    return abreast_ && schedule::is_control_round(number) ? Role::control : Role::measured;
  }
  bool takes_looks() const override { return true; }
  int rounds() const override { return is_open() ? 0 : rounds_; }
  int rounds_expected(const RoundContext& so_far) const override {
    const double each = so_far.spent / std::max(so_far.judged, 1);
    if (!(each > 0)) return is_open() ? PlannedRounds::most_rounds : rounds_;
    const auto within = [&](double seconds) {
      const double more = std::max(0.0, (seconds - so_far.spent) / each);
      return so_far.judged + static_cast<int>(std::min(more, double{PlannedRounds::open_end}));
    };
    if (budget_) return std::min(rounds_, within(*budget_));
    return is_open() ? std::max(PlannedRounds::most_rounds, within(seconds_without_budget(so_far))) : rounds_;
  }
  std::optional<double> budget() const override { return budget_; }
  bool extend_to_first_look() const override { return to_first_look_; }
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
  bool abreast_;
  judge::StopCriteria aim_;
  bool to_first_look_;
};

class Fixed : public StopPolicy {
 public:
  Fixed(int rounds, Role role) : rounds_(rounds), role_(role) {}

  std::optional<StopReason> stop_reason(const RoundContext& so_far) const override {
    if (so_far.judged >= rounds_) return StopReason::rounds;
    return active_cells(so_far.design, so_far.statuses).empty() ? std::optional(StopReason::nothing_left)
                                                                : std::nullopt;
  }
  std::vector<CellId> cells(const RoundContext& so_far, int) const override {
    return active_cells(so_far.design, so_far.statuses);
  }
  Role role(int) const override { return role_; }
  bool takes_looks() const override { return false; }
  int rounds() const override { return rounds_; }

 private:
  int rounds_;
  Role role_;
};

}  // namespace

std::unique_ptr<StopPolicy> until_decided(int rounds, std::optional<double> budget, bool abreast,
                                          const judge::StopCriteria& aim, bool to_first_look) {
  return std::make_unique<UntilDecided>(rounds, budget, abreast, aim, to_first_look);
}

std::unique_ptr<StopPolicy> fixed_rounds(int rounds) {
  return std::make_unique<Fixed>(rounds, Role::measured);
}

std::unique_ptr<StopPolicy> pilot_rounds(int rounds) { return std::make_unique<Fixed>(rounds, Role::pilot); }

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
