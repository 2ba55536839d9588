#include "assay/campaign/loop.hpp"

#include <algorithm>
#include <chrono>
#include <cmath>
#include <map>
#include <utility>

#include "assay/judge/findings.hpp"
#include "assay/judge/pairs.hpp"
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
      : recorder_(recorder), limits_(limits), run_(run), observe_(observe), stop_(std::move(stop)) {
    const auto& info = recorder_.record().info;
    if (info.rounds_max > 0) looks_ = judge::looks_of(info);
  }

  Ended go() {
    const int first = go_on_from();
    for (int number = first; judged_ < limits_.rounds; ++number) {
      const auto open = open_cells(recorder_.record(), settled_);
      if (open.empty()) return settled_.empty() ? Ended::nothing_left : Ended::settled;
      if (limits_.budget && spent() + longest_round_ > *limits_.budget && number > first)
        return Ended::budget;
      const auto began = Clock::now();
      const auto role = number == first ? Role::first : role_of(number);
      if (!round(number, role, open)) return Ended::stopped;
      longest_round_ = std::max(longest_round_, seconds_since(began));
      if (role != Role::counted && role != Role::pilot) continue;
      ++judged_;
      if (!limits_.pilot && is_due()) look();
    }
    return Ended::rounds;
  }

 private:
  /// Takes up what the record's rounds did, and returns the number of the next.
  int go_on_from() {
    const auto& record = recorder_.record();
    std::set<int> judged;
    const auto trials = record.trials;  // standings may change meanwhile
    for (const auto& trial : trials) {
      if (!trial.round) continue;
      const auto round = std::ranges::find(record.rounds, *trial.round, &Round::number);
      if (trial.role == Role::counted && round != record.rounds.end() && round->state == RoundState::whole)
        judged.insert(*trial.round);
      for (const auto& reading : trial.readings)
        if (const auto& name = record.metrics[reading.metric.place()].name;
            name == (abreast() ? "cpu time" : "wall time"))
          spent_before_ += reading.value;
      weigh(trial);
    }
    judged_ = static_cast<int>(judged.size());
    if (judged_ > 0) look();
    rounds_before_ = record.rounds.empty() ? 0 : record.rounds.back().number;
    return rounds_before_ + 1;
  }

  double spent() const { return spent_before_ + seconds_since(start_); }
  bool abreast() const { return recorder_.record().info.abreast; }

  Role role_of(int number) const {
    if (limits_.pilot) return Role::pilot;
    return abreast() && schedule::is_control_round(number) ? Role::control : Role::counted;
  }

  /// What runs together: each cell by itself, or those of one workload and setting.
  std::vector<std::vector<CellId>> heats_of(const std::vector<CellId>& order, Role role) const {
    std::vector<std::vector<CellId>> heats;
    const auto& cells = recorder_.record().cells;
    std::map<std::pair<WorkloadId, std::string>, std::size_t> places;
    for (const auto cell : order) {
      if (!limits_.together || role == Role::control) {
        heats.push_back({cell});
        continue;
      }
      const auto& what = cells[cell.place()];
      const auto [place, fresh] = places.try_emplace({what.workload, what.setting.text()}, heats.size());
      if (fresh) heats.emplace_back();
      heats[place->second].push_back(cell);
    }
    return heats;
  }

  /// False when it was torn.
  bool round(int number, Role role, const std::vector<CellId>& open) {
    const auto drawn = schedule::order_of_round(recorder_.record().info.seed, number, open);
    const auto heats = heats_of(drawn, role);
    Round round{.number = number,
                .sitting = SittingId{static_cast<std::int64_t>(recorder_.record().sittings.size()) - 1}};
    for (const auto& heat : heats) round.order.insert(round.order.end(), heat.begin(), heat.end());
    recorder_.add_round(round);
    std::size_t position = 0;
    int abreast_heats = 0;
    for (const auto& planned : heats) {
      const auto at = position;
      position += planned.size();
      auto cells = planned;
      std::erase_if(cells, [&](CellId cell) {
        return recorder_.record().cells[cell.place()].standing != Standing::sound;
      });
      if (cells.empty()) continue;
      tell(number, at, round.order.size(), cells.front());
      abreast_heats += cells.size() > 1 ? 1 : 0;
      const Heat heat{.round = number,
                      .role = role,
                      .cells = cells,
                      .position = static_cast<int>(at),
                      .number = cells.size() > 1 ? abreast_heats : 0};
      auto trials = run_(heat, stop_);
      const bool interrupted = std::ranges::count(trials, Outcome::interrupted, &Trial::outcome) > 0;
      for (auto& trial : trials) keep(std::move(trial));
      if (interrupted || stop_.stop_requested()) {
        const bool complete = !interrupted && position == round.order.size();
        recorder_.end_round(complete ? RoundState::whole : RoundState::torn);
        return false;
      }
    }
    recorder_.end_round(RoundState::whole);
    return true;
  }

  /// Whether a finding may have come to a planned look: each has a pair from every judged round, but for
  /// those in which a trial failed.
  bool is_due() const {
    const auto& record = recorder_.record();
    for (std::size_t m = 0; m < record.metrics.size(); ++m)
      if (record.metrics[m].exact && record.demands[m].watched) return true;  // settled without looks
    return std::ranges::any_of(looks_,
                               [&](int look) { return look <= judged_ && judged_ - look <= failed_; });
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
      recorder_.add_look(finding);
    }
    for (const auto& [contrast, settled] : all_settled)
      if (settled) settled_.insert(contrast);
  }

  void keep(const Trial& trial) {
    recorder_.add_trial(trial);
    weigh(trial);
  }

  /// Takes a cell out whose trial was wrong, or the last of too many that failed.
  void weigh(const Trial& trial) {
    if (trial.outcome == Outcome::voided) ++failed_;
    if (trial.outcome == Outcome::interrupted || trial.outcome == Outcome::voided) return;
    const auto& cell = recorder_.record().cells[trial.cell.place()];
    failed_ += trial.outcome == Outcome::ok ? 0 : 1;
    auto& failures = failures_[trial.cell];
    failures = trial.outcome == Outcome::ok ? 0 : failures + 1;
    if (cell.standing != Standing::sound) return;
    if (trial.outcome == Outcome::wrong)
      recorder_.set_standing(trial.cell, Standing::wrong, trial.detail);
    else if (failures >= failures_in_a_row)
      recorder_.set_standing(trial.cell, Standing::failed, trial.detail);
  }

  void tell(int number, std::size_t position, std::size_t cells, CellId next) const {
    if (!observe_) return;
    Progress progress{.phase = Progress::Phase::measuring,
                      .cell = next,
                      .done = judged_,
                      .planned = limits_.rounds,
                      .settled = settled_findings_,
                      .findings = findings_,
                      .spent = spent()};
    const double gone =
        number - rounds_before_ - 1 + static_cast<double>(position) / static_cast<double>(cells);
    if (gone >= 1) {
      const int to_come = limits_.rounds - judged_;
      progress.left =
          seconds_since(start_) / gone *
          std::max(0.0, schedule::rounds_in_all(to_come, abreast()) - 1 - (gone - std::floor(gone)));
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
  double spent_before_ = 0;  ///< in earlier sittings
  std::vector<int> looks_;   ///< planned
  int failed_ = 0;           ///< trials that gave no pair
  int rounds_before_ = 0, judged_ = 0, settled_findings_ = 0, findings_ = 0;
};

}  // namespace

std::vector<CellId> open_cells(const Record& record, const std::set<Contrast>& settled) {
  const auto sound = [&](CellId id) { return record.cells[id.place()].standing == Standing::sound; };
  const auto is_twin = [&](const Contrast& contrast) {
    return record.candidates[record.cells[contrast.candidate.place()].candidate.place()].twin_of.has_value();
  };
  std::set<CellId> open;
  for (const bool twins : {false, true})
    for (const auto& contrast : record.contrasts)
      if (is_twin(contrast) == twins && !settled.contains(contrast) && sound(contrast.baseline) &&
          sound(contrast.candidate) && (!twins || open.contains(contrast.baseline)))
        open.insert({contrast.baseline, contrast.candidate});
  return {open.begin(), open.end()};
}

Ended go_through_rounds(Recorder& recorder, const Limits& limits, const Runner& run, const Observer& observe,
                        const std::stop_token& stop) {
  return Loop(recorder, limits, run, observe, stop).go();
}

}  // namespace assay::campaign
