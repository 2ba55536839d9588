#include "assay/campaign/loop.hpp"

#include <algorithm>
#include <chrono>
#include <map>
#include <utility>

#include "assay/judge/findings.hpp"
#include "assay/schedule/order.hpp"

namespace assay::campaign {
namespace {

using Clock = std::chrono::steady_clock;

double seconds_since(Clock::time_point start) {
  return std::chrono::duration<double>(Clock::now() - start).count();
}

class Loop {
 public:
  Loop(Recorder& recorder, const Limits& limits, const Runner& run, const Observer& observe,
       std::stop_token stop)
      : recorder_(recorder), limits_(limits), run_(run), observe_(observe), stop_(std::move(stop)) {}

  Ended go() {
    for (int number = 1; number <= limits_.rounds + 1; ++number) {
      const auto open = open_cells(recorder_.record(), settled_);
      if (open.empty()) return settled_.empty() ? Ended::nothing_left : Ended::settled;
      if (limits_.budget && spent() + longest_round_ > *limits_.budget && number > 1) return Ended::budget;
      const auto began = Clock::now();
      if (!round(number, open)) return Ended::stopped;
      longest_round_ = std::max(longest_round_, seconds_since(began));
    }
    return Ended::rounds;
  }

 private:
  double spent() const { return seconds_since(start_); }

  /// False when it was torn.
  bool round(int number, const std::vector<CellId>& open) {
    Round round{.number = number,
                .sitting = SittingId{static_cast<std::int64_t>(recorder_.record().sittings.size()) - 1},
                .order = schedule::order_of_round(recorder_.record().info.seed, number, open)};
    recorder_.add_round(round);
    for (std::size_t i = 0; i < round.order.size(); ++i) {
      const auto cell = round.order[i];
      if (recorder_.record().cells[cell.place()].standing != Standing::sound) continue;
      tell(number, i, round.order.size(), cell);
      const Heat heat{.round = number,
                      .role = number == 1 ? Role::first : Role::counted,
                      .cells = {&round.order[i], 1},
                      .position = static_cast<int>(i)};
      auto trials = run_(heat, stop_);
      const bool interrupted = std::ranges::count(trials, Outcome::interrupted, &Trial::outcome) > 0;
      for (auto& trial : trials) keep(std::move(trial));
      if (interrupted || stop_.stop_requested()) {
        const bool complete = !interrupted && i + 1 == round.order.size();
        recorder_.end_round(complete ? RoundState::whole : RoundState::torn);
        return false;
      }
    }
    recorder_.end_round(RoundState::whole);
    look();
    return true;
  }

  /// Takes the looks that are due, and sees which contrasts are settled on all that is watched.
  void look() {
    std::map<Contrast, bool> all_settled;
    settled_findings_ = findings_ = 0;
    for (const auto& finding : judge::watched_so_far(recorder_.record())) {
      ++findings_;
      settled_findings_ += finding.settled ? 1 : 0;
      const auto [entry, fresh] = all_settled.try_emplace(finding.of, true);
      entry->second = entry->second && finding.settled;
      auto& taken = looks_[{finding.of, finding.metric}];
      if (finding.looks > taken) recorder_.add_look(finding);
      taken = finding.looks;
    }
    for (const auto& [contrast, settled] : all_settled)
      if (settled) settled_.insert(contrast);
  }

  void keep(Trial trial) {
    const auto cell = trial.cell;
    const auto outcome = trial.outcome;
    const auto detail = trial.detail;
    recorder_.add_trial(std::move(trial));
    if (outcome == Outcome::interrupted) return;
    failures_[cell] = outcome == Outcome::ok ? 0 : failures_[cell] + 1;
    if (outcome == Outcome::wrong)
      recorder_.set_standing(cell, Standing::wrong, detail);
    else if (failures_[cell] >= failures_in_a_row)
      recorder_.set_standing(cell, Standing::failed, detail);
  }

  void tell(int number, std::size_t position, std::size_t cells, CellId next) const {
    if (!observe_) return;
    Progress progress{.phase = Progress::Phase::measuring,
                      .cell = next,
                      .done = std::max(0, number - 2),
                      .planned = limits_.rounds,
                      .settled = settled_findings_,
                      .findings = findings_,
                      .spent = spent()};
    const double gone = number - 1 + static_cast<double>(position) / static_cast<double>(cells);
    if (number > 1) {
      progress.left = progress.spent / gone * (limits_.rounds + 1 - gone);
      if (limits_.budget)
        progress.left = std::min(*progress.left, std::max(0.0, *limits_.budget - progress.spent));
    }
    observe_(progress);
  }

  Recorder& recorder_;
  const Limits& limits_;
  const Runner& run_;
  const Observer& observe_;
  std::stop_token stop_;
  Clock::time_point start_ = Clock::now();
  double longest_round_ = 0;
  std::map<CellId, int> failures_;
  std::set<Contrast> settled_;
  std::map<std::pair<Contrast, MetricId>, int> looks_;
  int settled_findings_ = 0, findings_ = 0;
};

}  // namespace

std::vector<CellId> open_cells(const Record& record, const std::set<Contrast>& settled) {
  const auto sound = [&](CellId id) { return record.cells[id.place()].standing == Standing::sound; };
  std::set<CellId> open;
  for (const auto& contrast : record.contrasts)
    if (!settled.contains(contrast) && sound(contrast.baseline) && sound(contrast.candidate))
      open.insert({contrast.baseline, contrast.candidate});
  return {open.begin(), open.end()};
}

Ended go_through_rounds(Recorder& recorder, const Limits& limits, const Runner& run, const Observer& observe,
                        const std::stop_token& stop) {
  return Loop(recorder, limits, run, observe, stop).go();
}

}  // namespace assay::campaign
