#include "assay/campaign/carry_out.hpp"

#include <algorithm>
#include <chrono>
#include <filesystem>
#include <map>
#include <optional>
#include <set>
#include <thread>

#include "assay/build/builder.hpp"
#include "assay/campaign/lay_down.hpp"
#include "assay/campaign/metrics.hpp"
#include "assay/campaign/processes.hpp"
#include "assay/campaign/recorder.hpp"
#include "assay/campaign/resume.hpp"
#include "assay/campaign/workshop.hpp"
#include "assay/check/answer.hpp"
#include "assay/judge/findings.hpp"
#include "assay/judge/outlook.hpp"
#include "assay/measure/program_size.hpp"
#include "assay/measure/turnstile.hpp"
#include "assay/model/error.hpp"
#include "assay/plan/validate.hpp"

namespace assay::campaign {
namespace {

/// The sizes of every program that is compared, and how long it took to build, as the trial of a build. Each
/// pair of programs has them once.
void lay_down_builds(Recorder& recorder, const LaidDown& laid, const MetricIds& ids) {
  std::set<std::pair<std::string, std::string>> compared;
  std::set<CellId> told;
  const auto contrasts = recorder.record().contrasts;
  const auto& cells = laid.cells;
  for (const auto& contrast : contrasts) {
    const auto& baseline = cells[contrast.baseline.place()].program;
    const auto& candidate = cells[contrast.candidate.place()].program;
    if (!compared.emplace(baseline, candidate).second) continue;
    for (const auto cell : {contrast.baseline, contrast.candidate}) {
      const auto size = measure::size_of_program(cells[cell.place()].program);
      if (!size || !told.insert(cell).second) continue;
      Trial trial{.cell = cell, .role = Role::build};
      const auto add = [&](const char* name, std::optional<double> value) {
        if (const auto id = ids.find(name); id && value) trial.readings.push_back({*id, *value});
      };
      add("program size", static_cast<double>(size->file));
      if (size->text) add("text size", static_cast<double>(*size->text));
      if (size->data) add("data size", static_cast<double>(*size->data));
      if (laid.build_seconds[cell.place()] > 0) add("build time", laid.build_seconds[cell.place()]);
      recorder.add_trial(std::move(trial));
    }
  }
}

/// Takes the machine's turnstile, or says that another has it. False when stopped while waiting.
bool take_turn(measure::Turnstile& turnstile, const Options& options, bool& beside) {
  if (turnstile.enter()) return true;
  if (options.busy) options.busy(options.when_busy);
  beside = options.when_busy == Options::WhenBusy::go_on;
  while (!beside && !turnstile.enter()) {
    if (options.stop.stop_requested()) return false;
    std::this_thread::sleep_for(std::chrono::milliseconds(200));
  }
  return true;
}

/// One plan on its way.
class Campaign {
 public:
  Campaign(const Plan& plan, const Options& options)
      : options_(options), plan_(placed(plan)), offer_(what_is_offered(launcher_)) {}

  /// Everything up to the first trial. False when stopped on the way.
  bool prepare(const std::string& ledger) {
    bool beside = false;
    if (!take_turn(turnstile_, options_, beside)) return false;
    try {
      const Workshop workshop(plan_, launcher_, options_.say, options_.stop);
      laid_ = lay_down(plan_, workshop, launcher_, offer_, options_);
    } catch (const build::Interrupted&) {
      return false;
    }
    if (beside) laid_.record.sittings.front().facts.push_back({"beside another campaign", "yes"});
    begin(ledger);
    if (ended()) return true;
    ids_.emplace(recorder_->record());
    if (options_.begun) options_.begun(recorder_->record());
    if (!resumed_) lay_down_builds(*recorder_, laid_, *ids_);
    processes_.emplace(laid_.cells, launcher_, *ids_, offer_);
    return !options_.stop.stop_requested();
  }

  bool ended() const { return recorder_->record().info.state == CampaignState::ended; }
  const Record& record() const { return recorder_->record(); }

  /// Runs every sound cell once, each baseline before what is held against it, and gives the unsound ones
  /// their standing, for reasons that begin with `when`. False when stopped.
  bool check(const std::string& when = {}) {
    const auto start = std::chrono::steady_clock::now();
    const auto order = order_of_checks();
    int done = 0;
    for (const auto& [cell, baseline] : order) {
      if (options_.stop.stop_requested()) return false;
      const double spent = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
      if (options_.observe)
        options_.observe({.phase = Progress::Phase::checking,
                          .cell = cell,
                          .done = done++,
                          .planned = static_cast<int>(order.size()),
                          .spent = spent});
      const auto& what = record().cells[cell.place()];
      const auto& asked = plan_.workloads[what.workload.place()].check;
      // Exit statuses are seen in every trial: at the end only answers are worth another run.
      const bool worth_it = when.empty() || asked != Check{.exit_ok = asked.exit_ok};
      if (what.standing == Standing::sound && worth_it)
        fold_in(processes_->check(cell, baseline, options_.stop), when);
    }
    return !options_.stop.stop_requested();
  }

  /// Says what an answer's check leaves open.
  void doubt_checks() {
    if (record().info.kind != "plan") return;
    for (std::size_t w = 0; w < plan_.workloads.size(); ++w) {
      const auto& check = plan_.workloads[w].check;
      if (!check::passes_on_nothing(check)) continue;
      bool nothing = false;
      for (const auto& contrast : record().contrasts)
        nothing = nothing || (record().cells[contrast.baseline.place()].workload.place() == w &&
                              processes_->answered_nothing(contrast.baseline));
      std::string doubt;
      if (nothing)
        doubt = "its answer is empty, so its check proves nothing";
      else if (!check.match.empty())
        doubt = "its check would pass on an empty answer: \"" + check.match + "\" occurs in one";
      else if (check.equal.empty())
        doubt = "nothing checks what it answers";
      if (doubt.empty()) continue;
      recorder_->set_doubt(WorkloadId{static_cast<std::int64_t>(w)}, doubt);
      if (options_.say) options_.say("workload " + plan_.workloads[w].name + ": " + doubt);
    }
  }

  Ended measure(int rounds, bool pilot) {
    const Limits limits{.rounds = rounds,
                        .budget = pilot ? std::optional<double>{} : plan_.rounds.budget,
                        .together = plan_.rounds.mode == PlannedRounds::Mode::abreast,
                        .pilot = pilot};
    if (options_.forecast && !pilot) options_.forecast(outlook(Role::counted), record());
    const Observer observe = [&](const Progress& progress) {
      constexpr int enough = 3;  // rounds, for the spread
      if (!pilot && !told_ && options_.forecast && progress.done == enough) {
        options_.forecast(outlook(Role::counted), record());
        told_ = true;
      }
      if (options_.observe) options_.observe(progress);
    };
    return go_through_rounds(
        *recorder_, limits,
        [&](const Heat& heat, const std::stop_token& stop) { return processes_->run(heat, stop); }, observe,
        options_.stop);
  }

  Outlook outlook(Role role) const { return judge::look_ahead(record(), role, plan_.rounds.budget); }

  Findings conclude(Ended ended) {
    if (!recorder_) {
      laid_.record.info.state = CampaignState::interrupted;
      return judge::judge_record(laid_.record);
    }
    if (ended != Ended::stopped && !check("at the end, ")) ended = Ended::stopped;
    recorder_->set_state(ended == Ended::stopped ? CampaignState::interrupted : CampaignState::ended);
    return judge::judge_record(record());
  }

  const Plan& plan() const { return plan_; }

 private:
  static Plan placed(const Plan& given) {
    plan::validate(given);
    auto plan = given;
    plan.folder =
        std::filesystem::absolute(plan.folder.empty() ? "." : plan.folder).lexically_normal().string();
    return plan;
  }

  /// Lays the campaign down in the ledger, or goes on with the one there.
  void begin(const std::string& ledger) {
    auto before = options_.resume ? find_unfinished(ledger, laid_.record) : std::nullopt;
    if (!before) {
      recorder_.emplace(std::move(laid_.record), ledger);
    } else if (before->record.info.state == CampaignState::ended) {
      recorder_.emplace(std::move(before->record), std::string{});
    } else {
      auto sitting = std::move(laid_.record.sittings.front());
      sitting.machine = before->record.sittings.back().machine;
      before->record.sittings.push_back(std::move(sitting));
      before->record.factors = std::move(laid_.record.factors);
      recorder_.emplace(std::move(before->record), std::move(before->ledger), before->id);
      resumed_ = true;
    }
    const auto folder = std::filesystem::path(ledger).parent_path();
    if (folder.filename() == ".assay") build::hide_from_git(folder.string());
  }

  std::vector<std::pair<CellId, std::optional<CellId>>> order_of_checks() const {
    std::vector<std::pair<CellId, std::optional<CellId>>> order;
    const auto listed = [&](CellId cell) {
      return std::ranges::any_of(order, [&](const auto& o) { return o.first == cell; });
    };
    // A baseline may be held against another: what is nobody's candidate comes first.
    std::map<CellId, CellId> baseline_of;
    for (const auto& contrast : record().contrasts)
      baseline_of.emplace(contrast.candidate, contrast.baseline);
    const auto list = [&](const auto& self, CellId cell) -> void {
      if (listed(cell)) return;
      const auto baseline = baseline_of.find(cell);
      if (baseline != baseline_of.end()) self(self, baseline->second);
      order.push_back({cell, baseline == baseline_of.end() ? std::nullopt : std::optional(baseline->second)});
    };
    for (const auto& contrast : record().contrasts) list(list, contrast.candidate);
    return order;
  }

  void fold_in(Trial trial, const std::string& when) {
    const auto cell = trial.cell;
    const auto outcome = trial.outcome;
    const auto detail = when + trial.detail;
    const int status = trial.exit_status;
    recorder_->add_trial(std::move(trial));
    constexpr int not_here = 77;
    if (outcome == Outcome::wrong) recorder_->set_standing(cell, Standing::wrong, detail);
    if (outcome == Outcome::failed && status == not_here)
      recorder_->set_standing(cell, Standing::absent, "says that it does not support this (exit status 77)");
    else if (outcome != Outcome::ok && outcome != Outcome::wrong && outcome != Outcome::interrupted)
      recorder_->set_standing(cell, Standing::failed, detail);
  }

  const Options& options_;
  Plan plan_;
  measure::Launcher launcher_;
  Offer offer_;
  measure::Turnstile turnstile_;
  LaidDown laid_;
  bool resumed_ = false, told_ = false;
  std::optional<Recorder> recorder_;
  std::optional<MetricIds> ids_;
  std::optional<Processes> processes_;
};

}  // namespace

Findings carry_out(const Plan& plan, const Options& options) {
  Campaign campaign(plan, options);
  if (!campaign.prepare(options.ledger)) return campaign.conclude(Ended::stopped);
  if (campaign.ended()) return judge::judge_record(campaign.record());
  auto ended = Ended::stopped;
  if (campaign.check()) {
    campaign.doubt_checks();
    ended = campaign.measure(campaign.plan().rounds.max, false);
  }
  return campaign.conclude(ended);
}

std::pair<Outlook, Record> forecast(const Plan& plan, int rounds, const Options& options) {
  constexpr int fewest = 3;
  Campaign campaign(plan, options);
  if (!campaign.prepare({})) return {};
  if (!campaign.check()) return {Outlook{}, campaign.record()};
  campaign.doubt_checks();
  campaign.measure(std::max(rounds, fewest), true);
  auto outlook = campaign.outlook(Role::pilot);
  if (outlook.comparisons == 0)
    throw Error("no candidate could be measured beside its baseline", "forecast",
                "assay run names what is wrong with each", Error::Kind::measuring);
  return {std::move(outlook), campaign.record()};
}

}  // namespace assay::campaign
