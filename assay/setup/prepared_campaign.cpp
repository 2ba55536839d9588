#include "assay/setup/prepared_campaign.hpp"

#include <unistd.h>

#include <array>
#include <filesystem>
#include <map>
#include <memory>
#include <set>
#include <utility>

#include "assay/build/builder.hpp"
#include "assay/engine/open_campaign.hpp"
#include "assay/engine/round_loop.hpp"
#include "assay/engine/stop_policy.hpp"
#include "assay/measure/process.hpp"
#include "assay/measure/program_file.hpp"
#include "assay/measure/sampling.hpp"
#include "assay/metrics/catalogue.hpp"
#include "assay/model/error.hpp"
#include "assay/places/sample_collector.hpp"
#include "assay/places/stack_callers.hpp"
#include "assay/plan/cells.hpp"
#include "assay/plan/plan_file.hpp"
#include "assay/setup/candidate_builds.hpp"
#include "assay/setup/prepare.hpp"

namespace assay::setup {

namespace {

using metrics::MetricKind;

/// The sizes of every program that is compared, and how long it took to build, as the trial of a build. Each
/// pair of programs has them once.
void record_builds(engine::Recorder& recorder, const IdTable<CellId, runners::ProgramCell>& cells) {
  const auto& design = recorder.design();
  std::set<std::pair<std::string, std::string>> compared;
  std::set<CellId> recorded;
  for (const auto& comparison : design.comparisons) {
    if (!compared.emplace(cells[comparison.baseline].program, cells[comparison.candidate].program).second)
      continue;
    for (const auto cell : {comparison.baseline, comparison.candidate}) {
      const auto size = measure::size_of_program(cells[cell].program);
      if (!size || !recorded.insert(cell).second) continue;
      Trial trial{.cell = cell, .role = Role::build};
      const auto add = [&](MetricKind metric, double value) {
        if (const auto id = metrics::find(design.metrics, metric)) trial.readings.push_back({*id, value});
      };
      add(MetricKind::program_size, static_cast<double>(size->file));
      if (size->text) add(MetricKind::text_size, static_cast<double>(*size->text));
      if (size->data) add(MetricKind::data_size, static_cast<double>(*size->data));
      if (cells[cell].build_seconds > 0) add(MetricKind::build_time, cells[cell].build_seconds);
      recorder.add_trial(std::move(trial));
    }
  }
}

/// Gives the metrics of cells the numbers that the campaign has for them; what it does not measure is left out.
void renumber_metrics(IdTable<CellId, runners::ProgramCell>& cells, const IdTable<MetricId, Metric>& here,
                      const IdTable<MetricId, Metric>& of_campaign) {
  const auto renumber = [&](std::optional<MetricId>& id) {
    if (id) id = of_campaign.find_by_name(here[*id].name);
  };
  for (auto& cell : cells) {
    renumber(cell.throughput);
    for (auto& own : cell.metrics) renumber(own.id);
  }
}

Plan with_absolute_folder(const Plan& given) {
  plan::validate(given);
  auto plan = given;
  plan.folder =
      std::filesystem::absolute(plan.folder.empty() ? "." : plan.folder).lexically_normal().string();
  return plan;
}

/// Throws where programs can't be sampled here.
void require_sampling() {
  const auto first = measure::cores_allowed().front();
  if (const auto why = measure::Sampler(getpid(), std::array{first}, {}).problem(); !why.empty())
    throw Error(why, "where", {}, Error::Code::measuring);
}

}  // namespace

PreparedCampaign::PreparedCampaign(const Plan& given, const RunOptions& run, const PlanOptions& options)
    : plan_(with_absolute_folder(given)),
      observer_(run.observer == nullptr ? nobody_ : *run.observer),
      offer_(runners::detect_capabilities(launcher_)) {
  if (options.sampling_period > 0) require_sampling();
  for (const auto& remark : plan::plan_warnings(plan_)) observer_.on_message(remark);
  auto session = engine::current_session();
  if (!options.machine_lock_held) machine_lock_ = engine::acquire_machine(run, session);
  const auto log = [this](const std::string& text) { observer_.on_message(text); };
  const CandidateBuilds builds(plan_, launcher_, log, run.stop, options.report_cached_builds);
  auto laid = prepare_cells(plan_, builds, launcher_, offer_, run, options);
  layouts_ = prepare_layouts(plan_, laid.cells, laid.record.design, launcher_, log, run.stop);
  laid.record.log.sessions.add(std::move(session));
  for (auto choice : options.ways) {
    choice.reason = WayReason::asked;
    if (laid.record.design.workloads.contains(choice.workload))
      laid.record.log.ways.push_back(std::move(choice));
  }
  const auto metrics_here = laid.record.design.metrics;
  recorder_.emplace(run.join ? engine::join_campaign(std::move(laid.record), run.ledger, *run.join)
                             : engine::open_or_resume(std::move(laid.record), run.ledger, run.resume));
  if (run.join) renumber_metrics(laid.cells, metrics_here, recorder_->design().metrics);
  recorder_->set_listener(log, run.stop);
  const std::filesystem::path folder = ledger::Place::of(run.ledger).folder();
  if (folder.filename() == ".assay") build::hide_from_git(folder.string());
  if (has_ended()) return;
  observer_.on_start(recorder_->design());
  if (const auto id = short_uid(recorder_->design().uid);
      ledger::Place::of(run.ledger).is_database() && !run.join && options.invites)
    observer_.on_message("campaign " + id + "; other machines take part with: assay join " + id);
  if (recorder_->log().trials.empty() && !run.join) record_builds(*recorder_, laid.cells);
  programs_.emplace(std::move(laid.cells), launcher_, recorder_->design(), plan_, offer_);
  std::map<CellId, runners::ServerCell> asked;  // by programs of the user's own
  for (auto at = laid.services.begin(); at != laid.services.end();)
    if (auto here = at++; !here->second.requests) asked.insert(laid.services.extract(here));
  clients_.emplace(std::move(asked), *programs_, launcher_, recorder_->design());
  services_.emplace(std::move(laid.services), launcher_, recorder_->design(), recorder_->log());
  if (options.sampling_period > 0) {
    const auto samples = std::make_shared<places::SampleCollector>();
    const engine::CodeSampling how{
        .period = options.sampling_period,
        .callers = std::make_shared<places::StackCallers>(),
        .take = [samples](const Trial& trial, double cpu, double requests,
                          const measure::CodeSamples& code) { samples->take(trial, cpu, requests, code); },
        .result = [this, samples] { return samples->result(recorder_->design()); }};
    programs_->sample_code(how);
    services_->sample_code(how);
  }
  runner_.emplace(*programs_, *services_, *clients_, *layouts_, recorder_->design().cells.size());
  life_.emplace(*recorder_, *runner_, observer_, run.stop);
}

struct StepwiseCampaign::State {
  static constexpr int most_rounds = 1'000'000;

  State(const Plan& plan, const RunOptions& run, const PlanOptions& options)
      : prepared(plan, run, options), policy(engine::fixed_rounds(most_rounds)) {
    try {
      prepared.life().check();
    } catch (const Cancelled&) {
      prepared.runner().close();
      prepared.recorder().end_session(CampaignState::interrupted);
      throw;
    }
    rounds.emplace(prepared.recorder(), prepared.runner(), *policy, prepared.observer(), run.stop);
  }

  PreparedCampaign prepared;
  std::unique_ptr<engine::StopPolicy> policy;
  std::optional<engine::RoundLoop> rounds;
  bool stopped = false;
};

StepwiseCampaign::StepwiseCampaign(const Plan& plan, const RunOptions& run, const PlanOptions& options)
    : state_(std::make_unique<State>(plan, run, options)) {}

StepwiseCampaign::~StepwiseCampaign() {
  try {
    state_->prepared.runner().close();
    state_->prepared.recorder().end_session(state_->stopped ? CampaignState::interrupted
                                                            : CampaignState::ended);
  } catch (const Error&) {  // it stays open in the ledger, as after a kill
  }
}

std::string StepwiseCampaign::blocking_reason() const {
  const auto& design = record().design;
  for (const auto cell : design.cells.ids())
    if (const auto& status = state_->prepared.recorder().statuses()[cell]; !status.is_ok())
      return design.candidate_of(cell).name + ": " + status.detail;
  return {};
}

bool StepwiseCampaign::run_round() {
  if (!blocking_reason().empty()) return false;
  const int before = state_->rounds->judged();
  while (state_->rounds->judged() == before) {
    const auto ended = state_->rounds->run_round();
    if (ended == engine::StopReason::stopped) {
      state_->stopped = true;
      throw Cancelled{};
    }
    if (ended) return false;
  }
  return true;
}

const Record& StepwiseCampaign::record() const { return state_->prepared.record(); }

}  // namespace assay::setup
