// What a round loop does about those who measure the same campaign.

#include <algorithm>
#include <chrono>
#include <map>
#include <thread>
#include <vector>

#include "assay/engine/round_loop.hpp"
#include "assay/metrics/catalogue.hpp"
#include "assay/model/observations.hpp"
#include "assay/model/text.hpp"
#include "assay/stats/location.hpp"

namespace assay::engine {

/// Why no round is begun here. Waits while others have rounds under way that may be the last.
std::optional<StopReason> RoundLoop::find_reason_to_stop() {
  while (true) {
    if (begun_here_ > 0 || recorder_.is_shared()) catch_up();
    if (leaves_) return leaves_;
    if (recorder_.has_ended_elsewhere()) return StopReason::ended;
    if (time_is_up_ && clock_() + 2 * longest_round_ > *time_is_up_) return StopReason::time;
    const auto over =
        recorder_.is_closing() ? std::optional(StopReason::closed) : policy_.stop_reason(so_far());
    const bool waits = over ? recorder_.others_have_open_rounds() : begun_here_ > 0 && waits_for_choices();
    if (!waits) return over;
    if (!wait()) return StopReason::stopped;
  }
}

/// Takes up what others have done meanwhile.
void RoundLoop::catch_up() {
  recorder_.refresh();
  if (!recorder_.is_shared()) return;
  settled_.insert(recorder_.decided().begin(), recorder_.decided().end());
  const int before = judged_;
  recount();
  if (judged_ > before && policy_.takes_looks() && is_due()) take_look();
}

/// Rounds that count, and those that may come to: of all machines.
void RoundLoop::recount() {
  const auto& log = recorder_.log();
  for (; trials_seen_ < log.trials.size(); ++trials_seen_)
    if (log.trials[trials_seen_].session != recorder_.session()) count_failure(log.trials[trials_seen_]);
  const auto complete = complete_rounds(log);
  int counting = 0, begun = 0;
  for (const auto& round : log.rounds) {
    if (round.role != Role::measured || round.state == RoundState::aborted) continue;
    if (round.state == RoundState::open && round.session == recorder_.session()) continue;
    ++begun;
    counting += complete.contains(round.number) ? 1 : 0;
  }
  judged_ = counting;
  elsewhere_ = begun - counting;
}

/// After the warm-up; once.
void RoundLoop::choose_ways() {
  if (has_chosen_ || waits_for_choices()) return;
  has_chosen_ = true;
  chooser_->begin(slots_);
}

bool RoundLoop::has_judged_rounds() const {
  return std::ranges::any_of(recorder_.log().rounds,
                             [](const Round& round) { return round.role == Role::measured; });
}

/// How programs are run is chosen by the first machine, with its pilots: others wait until it has.
bool RoundLoop::waits_for_choices() const {
  const auto& design = recorder_.design();
  if (!recorder_.is_shared() || design.rules.way != Way::automatic || recorder_.others_at_work() == 0)
    return false;
  const auto& log = recorder_.log();
  if (has_judged_rounds()) return false;
  const auto is_first = [&](const Round& round) { return round.state != RoundState::aborted; };
  const auto first = std::ranges::find_if(log.rounds, is_first);
  return first != log.rounds.end() && first->session != recorder_.session();
}

/// Whether a warm-up takes this machine four times as long as it typically takes two others or more: it would hold up what
/// counts.
bool RoundLoop::is_slow_machine() const {
  constexpr double much = 4;
  constexpr std::size_t fewest = 2;
  if (recorder_.others_at_work() < fewest) return false;
  const auto time = metrics::find(recorder_.design().metrics, metrics::MetricKind::wall_time);
  std::map<SessionId, double> seconds;
  for (const auto& trial : recorder_.log().trials)
    for (const auto& reading : trial.readings)
      if (trial.role == Role::warm_up && trial.repeat == 0 && reading.metric == time)
        seconds[trial.session] += reading.value;
  const auto own = seconds.extract(recorder_.session());
  std::vector<double> others;
  for (const auto& [session, total] : seconds) others.push_back(total);
  if (own.empty() || others.size() < fewest) return false;
  const double typical = stats::median(others);
  if (own.mapped() <= much * typical) return false;
  observer_.on_message("a round takes " + duration_text(own.mapped()) + " here, and " +
                       duration_text(typical) + " on the " + std::to_string(others.size()) +
                       " others: this machine would hold them up");
  return true;
}

/// Whether a cell's measured trials end well in other sessions.
bool RoundLoop::runs_elsewhere(CellId cell) const {
  return std::ranges::any_of(recorder_.log().trials, [&](const Trial& trial) {
    return trial.cell == cell && trial.session != recorder_.session() && trial.role == Role::measured &&
           trial.outcome == Outcome::ok;
  });
}

/// A while, longer from time to time. False: it was asked to stop.
bool RoundLoop::wait() {
  using namespace std::chrono_literals;
  constexpr int shortest = 4, longest = 20;  // tenths of a second
  ++waits_;
  for (int i = 0; i < std::min(shortest * waits_, longest); ++i) {
    if (stop_.stop_requested()) return false;
    std::this_thread::sleep_for(100ms);
  }
  return !stop_.stop_requested();
}

/// How long a round may show nothing before others give it up: its longest trial, and what may come before it.
double RoundLoop::patience() const {
  constexpr double besides = 300;
  double longest = 0;
  for (const auto cell : recorder_.design().cells.ids())
    longest = std::max(longest, runner_.time_limit(cell) + runner_.seconds_before_trial(cell));
  return longest + besides;
}

/// How many trials of each cell a round has is what the first judged round has, whoever ran it.
void RoundLoop::take_slots() {
  if (has_slots_ || !has_judged_rounds()) return;
  has_slots_ = true;
  slots_ = planned_repeats(recorder_, runner_, policy_);
}

}  // namespace assay::engine
