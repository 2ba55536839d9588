#include "assay/campaign/policy.hpp"

#include "assay/schedule/order.hpp"

namespace assay::inline v1::campaign {
namespace {

class UntilSettled : public Policy {
 public:
  UntilSettled(int rounds, std::optional<double> budget, bool abreast)
      : rounds_(rounds), budget_(budget), abreast_(abreast) {}

  std::optional<Ended> over(const SoFar& so_far) const override {
    if (so_far.judged >= rounds_) return Ended::rounds;
    if (cells(so_far).empty()) return so_far.settled.empty() ? Ended::nothing_left : Ended::settled;
    if (budget_ && so_far.begun_here > 0 && so_far.spent + so_far.longest_round > *budget_)
      return Ended::budget;
    return {};
  }
  std::vector<CellId> cells(const SoFar& so_far) const override {
    return open_cells(so_far.design, so_far.states, so_far.settled);
  }
  Role role(int number) const override {
    return abreast_ && schedule::is_control_round(number) ? Role::control : Role::counted;
  }
  bool looks() const override { return true; }
  int rounds() const override { return rounds_; }
  std::optional<double> budget() const override { return budget_; }

 private:
  int rounds_;
  std::optional<double> budget_;
  bool abreast_;
};

class Fixed : public Policy {
 public:
  Fixed(int rounds, Role role) : rounds_(rounds), role_(role) {}

  std::optional<Ended> over(const SoFar& so_far) const override {
    if (so_far.judged >= rounds_) return Ended::rounds;
    return cells(so_far).empty() ? std::optional(Ended::nothing_left) : std::nullopt;
  }
  std::vector<CellId> cells(const SoFar& so_far) const override {
    return open_cells(so_far.design, so_far.states);
  }
  Role role(int) const override { return role_; }
  bool looks() const override { return false; }
  int rounds() const override { return rounds_; }

 private:
  int rounds_;
  Role role_;
};

}  // namespace

std::unique_ptr<Policy> until_settled(int rounds, std::optional<double> budget, bool abreast) {
  return std::make_unique<UntilSettled>(rounds, budget, abreast);
}

std::unique_ptr<Policy> fixed_rounds(int rounds) { return std::make_unique<Fixed>(rounds, Role::counted); }

std::unique_ptr<Policy> pilot_rounds(int rounds) { return std::make_unique<Fixed>(rounds, Role::pilot); }

std::vector<CellId> open_cells(const Design& design, const Table<CellId, CellState>& states,
                               const std::set<Contrast>& settled) {
  std::set<CellId> open;
  for (const bool twins : {false, true})
    for (const auto& contrast : design.contrasts)
      if (design.is_twin(contrast.candidate) == twins && !settled.contains(contrast) &&
          states[contrast.baseline].is_sound() && states[contrast.candidate].is_sound() &&
          (!twins || open.contains(contrast.baseline)))
        open.insert({contrast.baseline, contrast.candidate});
  return {open.begin(), open.end()};
}

}  // namespace assay::inline v1::campaign
