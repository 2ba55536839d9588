#include "assay/engine/round_loop.hpp"

#include <algorithm>
#include <chrono>
#include <cmath>
#include <map>
#include <string>
#include <utility>

#include "assay/judge/paired_series.hpp"
#include "assay/metrics/catalogue.hpp"
#include "assay/model/observations.hpp"
#include "assay/schedule/order.hpp"

namespace assay::engine {

Clock steady_clock() {
  return [] {
    return std::chrono::duration<double>(std::chrono::steady_clock::now().time_since_epoch()).count();
  };
}

IdTable<CellId, int> planned_repeats(const Recorder& recorder, const TrialRunner& runner,
                                     const StopPolicy& policy) {
  const Observations evidence(recorder.design(), recorder.log());
  return judge::plan_repeats(
      evidence, [&](CellId cell) { return policy.takes_looks() && runner.allows_repeats(cell); });
}

RoundLoop::RoundLoop(Recorder& recorder, TrialRunner& runner, const StopPolicy& policy, Observer& observer,
                     std::stop_token stop, Clock clock)
    : recorder_(recorder),
      runner_(runner),
      policy_(policy),
      observer_(observer),
      stop_(std::move(stop)),
      clock_(std::move(clock)),
      start_(clock_()),
      slots_(planned_repeats(recorder, runner, policy)) {
  always_due_ = std::ranges::any_of(recorder_.design().metrics,
                                    [](const Metric& m) { return m.exact && m.request.watched; });
  restore();
  chooser_.emplace(recorder_, runner_, observer_, policy_.seconds_expected(so_far()));
}

StopReason RoundLoop::run() {
  while (true)
    if (const auto ended = run_round()) return *ended;
}

std::optional<StopReason> RoundLoop::run_round() {
  while (true) {
    if (const auto over = find_reason_to_stop()) return over;
    if (begun_here_ > 0) choose_ways();  // where those who would have chosen are gone
    const auto began = clock_();
    ++begun_here_;
    auto role = Role::warm_up;
    const auto measured = measure_round(role);
    if (measured == Measured::not_begun) {  // others were quicker
      --begun_here_;
      continue;
    }
    if (measured == Measured::aborted && stop_.stop_requested()) return StopReason::stopped;
    if (measured == Measured::aborted) {  // others took this process for gone
      if (role == Role::warm_up) begun_here_ = 0;
      continue;
    }
    longest_round_ = std::max(longest_round_, clock_() - began);
    if (role == Role::warm_up) {
      plan_repeats();
      if (is_slow_machine()) return StopReason::slow;
      choose_ways();
    }
    if (role == Role::pilot) chooser_->end_round();
    if (role != Role::measured) return {};
    if (recorder_.is_shared())
      recount();
    else
      ++judged_;
    if (policy_.takes_looks() && is_due()) take_look();
    return {};
  }
}

/// After a warm-up, which knows better what trials cost.
void RoundLoop::plan_repeats() {
  slots_ = planned_repeats(recorder_, runner_, policy_);
  const auto time = metrics::find(recorder_.design().metrics, metrics::MetricKind::wall_time);
  const auto& log = recorder_.log();
  int round = 0;  // its own last
  for (const auto& begun : log.rounds)
    if (begun.session == recorder_.session()) round = begun.number;
  for (const auto& trial : log.trials)
    for (const auto& reading : trial.readings)
      if (trial.round == round && trial.repeat == 0 && reading.metric == time)
        longest_round_ += (slots_[trial.cell] - 1) * reading.value;
}

void RoundLoop::restore() {
  const auto& log = recorder_.log();
  const auto& design = recorder_.design();
  const auto wall = metrics::find(design.metrics, metrics::MetricKind::wall_time),
             cpu = metrics::find(design.metrics, metrics::MetricKind::cpu_time);
  const auto seconds_of = [](const Trial& trial, const std::optional<MetricId>& metric) {
    const auto found = std::ranges::find(trial.readings, metric, &Reading::metric);
    return found == trial.readings.end() ? 0.0 : found->value;
  };
  const auto whole = complete_rounds(log);
  std::set<int> judged;
  for (std::size_t i = 0; i < log.trials.size(); ++i) {  // statuses may change meanwhile, trials don't
    const auto& trial = log.trials[i];
    if (!trial.round) continue;
    if (trial.role == Role::measured && whole.contains(*trial.round)) judged.insert(*trial.round);
    const double seconds = seconds_of(trial, wall);  // abreast there is none
    spent_before_ += seconds > 0 ? seconds : seconds_of(trial, cpu);
    count_failure(trial);
  }
  trials_seen_ = log.trials.size();
  if (recorder_.seconds_before()) spent_before_ = *recorder_.seconds_before();  // of all machines together
  judged_ = static_cast<int>(judged.size());
  if (recorder_.is_shared()) catch_up();
  if (judged_ > 0 && policy_.takes_looks()) take_look();
}

RoundContext RoundLoop::so_far() const {
  return {.design = recorder_.design(),
          .statuses = recorder_.statuses(),
          .decided = settled_,
          .confirming = confirming_,
          .judged = judged_ + elsewhere_,
          .begun_here = begun_here_,
          .spent = spent(),
          .longest_round = longest_round_,
          .first_look = first_look()};
}

/// These cells, each as often as a round runs it.
std::vector<CellId> RoundLoop::with_repeats(const std::vector<CellId>& cells) const {
  std::vector<CellId> all;
  for (const auto cell : cells) all.insert(all.end(), static_cast<std::size_t>(slots_[cell]), cell);
  return all;
}

/// What runs at once: each cell by itself, or those of one workload and setting.
std::vector<RoundLoop::BatchPlan> RoundLoop::batches(const std::vector<CellId>& order,
                                                     const std::function<Way(CellId)>& way_of) const {
  std::vector<BatchPlan> batches;
  std::map<std::pair<WorkloadId, std::string>, std::size_t> places;
  std::map<CellId, int> run;
  std::map<int, std::size_t> programs;
  for (const auto cell : order) {
    if (const auto program = runner_.shared_program(cell)) {
      const auto [place, fresh] = programs.try_emplace(*program, batches.size());
      if (fresh) batches.push_back({.cells = {}, .is_one_program = true});
      batches[place->second].cells.push_back(cell);
      continue;
    }
    const auto way = way_of(cell);
    if (!runner_.runs_in_batch(cell) && way == Way::turns) {
      batches.push_back({.cells = {cell}, .repeat = run[cell]++});
      continue;
    }
    const auto& what = recorder_.design().cells[cell];
    const auto [place, fresh] = places.try_emplace({what.workload, what.setting.text()}, batches.size());
    if (fresh) batches.push_back({.cells = {}, .way = way});
    batches[place->second].cells.push_back(cell);
  }
  return batches;
}

/// What round `number` runs, and in which batches.
RoundPlan RoundLoop::plan_round(int number, std::vector<BatchPlan>& planned) const {
  const auto& rules = recorder_.design().rules;
  RoundPlan plan{.role = begun_here_ == 1 ? Role::warm_up : policy_.role(rules, number)};
  const auto pilot = plan.role == Role::warm_up ? std::nullopt : chooser_->next();
  auto cells = pilot ? pilot->cells : policy_.cells(so_far(), number);
  if (pilot) plan.role = Role::pilot;
  if (plan.role == Role::measured && policy_.takes_looks() && chooser_->is_control_round(number))
    plan.role = Role::control;
  if (plan.role == Role::control) {
    const auto is_no_control = [&](CellId cell) { return chooser_->way_of(cell) == Way::turns; };
    if (std::ranges::all_of(cells, is_no_control))
      plan.role = Role::measured;
    else
      std::erase_if(cells, is_no_control);
  }
  if (plan.role == Role::measured) cells = with_repeats(cells);
  if (plan.role == Role::warm_up) cells = chooser_->warm_up_cells(cells);
  planned = batches(schedule::order_of_round(rules.seed, number, cells), [&](CellId cell) {
    if (pilot) return pilot->in_turns ? Way::turns : chooser_->tried_way(cell);
    return plan.role == Role::control ? Way::turns : chooser_->way_of(cell);
  });
  for (const auto& batch : planned)
    plan.order.insert(plan.order.end(), batch.cells.begin(), batch.cells.end());
  return plan;
}

/// `role` is set to what its trials were.
RoundLoop::Measured RoundLoop::measure_round(Role& role) {
  std::vector<BatchPlan> planned;
  const auto round = recorder_.claim_round(
      [&](int number) -> std::optional<RoundPlan> {
        if (recorder_.is_shared()) {
          recount();
          if (recorder_.has_ended_elsewhere() || recorder_.is_closing() || policy_.stop_reason(so_far()))
            return {};
          take_slots();
        }
        return plan_round(number, planned);
      },
      patience());
  if (!round) return Measured::not_begun;
  waits_ = 0;
  role = round->role;
  std::size_t position = 0;
  int heats_at_once = 0;
  for (auto& [batch_cells, repeat, way, is_one_program] : planned) {
    const auto at = position;
    position += batch_cells.size();
    std::erase_if(batch_cells, [&](CellId cell) { return !recorder_.statuses()[cell].is_ok(); });
    if (batch_cells.empty()) continue;
    report_progress(role, at, round->order.size(), batch_cells.front());
    const bool at_once = batch_cells.size() > 1 && !is_one_program;
    heats_at_once += at_once ? 1 : 0;
    auto trials = runner_.run({.round = round->number,
                               .role = role,
                               .cells = batch_cells,
                               .position = static_cast<int>(at),
                               .number = at_once ? heats_at_once : 0,
                               .way = way},
                              stop_);
    const bool interrupted = std::ranges::count(trials, Outcome::interrupted, &Trial::outcome) > 0;
    for (auto& trial : trials) {
      trial.repeat = repeat;
      recorder_.add_trial(std::move(trial));
      count_failure(recorder_.log().trials.back());
    }
    if (leaves_ || interrupted || stop_.stop_requested()) {
      const bool complete = !leaves_ && !interrupted && position == round->order.size();
      recorder_.end_round(complete ? RoundState::complete : RoundState::aborted);
      return Measured::aborted;
    }
  }
  return recorder_.end_round(RoundState::complete) ? Measured::whole : Measured::aborted;
}

/// Takes a cell out whose trial was wrong, or the last of too many that failed.
void RoundLoop::count_failure(const Trial& trial) {
  const bool judged = trial.role != Role::pilot;
  if (trial.outcome == Outcome::discarded && judged) ++without_pair_;
  if (trial.outcome == Outcome::interrupted || trial.outcome == Outcome::discarded) return;
  const auto cell = trial.cell;
  const bool ok = trial.outcome == Outcome::ok;
  without_pair_ += ok || !judged ? 0 : 1;
  const bool is_own = trial.session == recorder_.session();
  if (recorder_.is_shared() && !is_own) return;  // who ran it has seen to it
  auto& failures = failures_[cell];
  failures = ok ? 0 : failures + 1;
  if (!recorder_.statuses()[cell].is_ok()) return;
  if (is_own && failures >= failures_in_a_row && runs_elsewhere(cell)) {
    leaves_ = StopReason::fails_here;
    const auto& design = recorder_.design();
    observer_.on_message(design.candidate_of(cell).name + " on " + design.workload_of(cell).name +
                         " failed " + std::to_string(failures) +
                         " times in a row here, and runs well on other machines: " + trial.detail);
    return;
  }
  if (trial.outcome == Outcome::wrong)
    recorder_.set_cell_status(cell, {StatusCode::wrong, trial.detail});
  else if (failures >= failures_in_a_row)
    recorder_.set_cell_status(cell, {StatusCode::failed, trial.detail});
}

void RoundLoop::report_progress(Role role, std::size_t position, std::size_t cells, CellId next) const {
  Progress progress{.phase = Progress::Phase::measuring,
                    .role = role,
                    .cell = next,
                    .done = judged_,
                    .planned = policy_.rounds(),
                    .processes = 1 + static_cast<int>(recorder_.others_at_work()),
                    .seconds_spent = spent()};
  const auto& design = recorder_.design();
  for (const auto& comparison : design.comparisons) {
    const auto& states = recorder_.statuses();
    if (design.is_twin(comparison.candidate) || !states[comparison.baseline].is_ok() ||
        !states[comparison.candidate].is_ok())
      continue;
    ++progress.comparisons;
    progress.decided += settled_.contains(comparison) ? 1 : 0;
  }
  const double gone = begun_here_ - 1 + static_cast<double>(position) / static_cast<double>(cells);
  if (gone >= 1) {
    const int to_come = policy_.rounds_expected(so_far()) - judged_;
    const double rounds_left = schedule::rounds_in_all(to_come, recorder_.design().rules.way) - 1 +
                               chooser_->pilots_to_come() - (gone - std::floor(gone));
    progress.seconds_left = (clock_() - start_) / gone * std::max(0.0, rounds_left) / progress.processes;
    if (const auto budget = policy_.budget())
      progress.seconds_left =
          std::min(*progress.seconds_left, std::max(0.0, *budget - progress.seconds_spent));
  }
  observer_.on_progress(progress);
}

}  // namespace assay::engine
