#include "assay/setup/prepared_campaign.hpp"

#include <filesystem>
#include <map>
#include <set>
#include <utility>

#include "assay/build/builder.hpp"
#include "assay/engine/open_campaign.hpp"
#include "assay/engine/session.hpp"
#include "assay/measure/elf.hpp"
#include "assay/metrics/catalogue.hpp"
#include "assay/plan/cells.hpp"
#include "assay/plan/validate.hpp"
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

Plan with_absolute_folder(const Plan& given) {
  plan::validate(given);
  auto plan = given;
  plan.folder =
      std::filesystem::absolute(plan.folder.empty() ? "." : plan.folder).lexically_normal().string();
  return plan;
}

}  // namespace

PreparedCampaign::PreparedCampaign(const Plan& given, const RunOptions& options, const std::string& ledger)
    : plan_(with_absolute_folder(given)),
      observer_(options.observer == nullptr ? nobody_ : *options.observer),
      offer_(runners::detect_capabilities(launcher_)) {
  for (const auto& remark : plan::plan_warnings(plan_)) observer_.on_message(remark);
  auto session = engine::current_session();
  if (!options.machine_lock_held)
    engine::acquire_machine(machine_lock_, options.when_busy, observer_, options.stop, session);
  const auto log = [this](const std::string& text) { observer_.on_message(text); };
  const CandidateBuilds builds(plan_, launcher_, log, options.stop, options.report_cached_builds);
  auto laid = prepare_cells(plan_, builds, launcher_, offer_, options);
  layouts_ = prepare_layouts(plan_, laid.cells, laid.record.design, launcher_, log, options.stop);
  laid.record.log.sessions.add(std::move(session));
  recorder_.emplace(engine::open_or_resume(std::move(laid.record), ledger, options.resume));
  const auto folder = std::filesystem::path(ledger).parent_path();
  if (folder.filename() == ".assay") build::hide_from_git(folder.string());
  if (has_ended()) return;
  observer_.on_start(recorder_->design());
  if (recorder_->log().trials.empty()) record_builds(*recorder_, laid.cells);
  programs_.emplace(std::move(laid.cells), launcher_, recorder_->design(), plan_, offer_);
  std::map<CellId, runners::ServerCell> asked;  // by programs of the user's own
  for (auto at = laid.services.begin(); at != laid.services.end();)
    if (auto here = at++; !here->second.requests) asked.insert(laid.services.extract(here));
  clients_.emplace(std::move(asked), *programs_, launcher_, recorder_->design());
  services_.emplace(std::move(laid.services), launcher_, recorder_->design(), recorder_->log());
  runner_.emplace(*programs_, *services_, *clients_, *layouts_, recorder_->design().cells.size());
  life_.emplace(*recorder_, *runner_, observer_, options.stop);
}

}  // namespace assay::setup
