#include "assay/campaign/prepared.hpp"

#include <filesystem>
#include <map>
#include <set>
#include <utility>

#include "assay/build/builder.hpp"
#include "assay/campaign/begin.hpp"
#include "assay/campaign/identity.hpp"
#include "assay/campaign/lay_down.hpp"
#include "assay/campaign/lay_out_code.hpp"
#include "assay/campaign/turn.hpp"
#include "assay/campaign/workshop.hpp"
#include "assay/measure/program_size.hpp"
#include "assay/metrics/catalogue.hpp"
#include "assay/plan/matrix.hpp"
#include "assay/plan/validate.hpp"

namespace assay::inline v1::campaign {
namespace {

using metrics::Known;

/// The sizes of every program that is compared, and how long it took to build, as the trial of a build. Each
/// pair of programs has them once.
void record_builds(Recorder& recorder, const Table<CellId, ProcessCell>& cells) {
  const auto& design = recorder.design();
  std::set<std::pair<std::string, std::string>> compared;
  std::set<CellId> told;
  for (const auto& contrast : design.contrasts) {
    if (!compared.emplace(cells[contrast.baseline].program, cells[contrast.candidate].program).second)
      continue;
    for (const auto cell : {contrast.baseline, contrast.candidate}) {
      const auto size = measure::size_of_program(cells[cell].program);
      if (!size || !told.insert(cell).second) continue;
      Trial trial{.cell = cell, .role = Role::build};
      const auto add = [&](Known metric, double value) {
        if (const auto id = metrics::find(design.metrics, metric)) trial.readings.push_back({*id, value});
      };
      add(Known::program_size, static_cast<double>(size->file));
      if (size->text) add(Known::text_size, static_cast<double>(*size->text));
      if (size->data) add(Known::data_size, static_cast<double>(*size->data));
      if (cells[cell].build_seconds > 0) add(Known::build_time, cells[cell].build_seconds);
      recorder.add_trial(std::move(trial));
    }
  }
}

Plan placed(const Plan& given) {
  plan::validate(given);
  auto plan = given;
  plan.folder =
      std::filesystem::absolute(plan.folder.empty() ? "." : plan.folder).lexically_normal().string();
  return plan;
}

}  // namespace

Prepared::Prepared(const Plan& given, const Options& options, const std::string& ledger)
    : plan_(placed(given)),
      observer_(options.observer == nullptr ? nobody_ : *options.observer),
      offer_(what_is_offered(launcher_)) {
  for (const auto& remark : plan::remarks_on(plan_)) observer_.said(remark);
  auto sitting = sitting_here();
  if (!options.has_turn) take_turn(turnstile_, options.when_busy, observer_, options.stop, sitting);
  const auto say = [this](const std::string& text) { observer_.said(text); };
  const Workshop workshop(plan_, launcher_, say, options.stop, options.tells_known_builds);
  auto laid = lay_down(plan_, workshop, launcher_, offer_, options);
  layouts_ = lay_out_code(plan_, laid.cells, laid.record.design, launcher_, say, options.stop);
  laid.record.log.sittings.add(std::move(sitting));
  recorder_.emplace(begin(std::move(laid.record), ledger, options.resume));
  const auto folder = std::filesystem::path(ledger).parent_path();
  if (folder.filename() == ".assay") build::hide_from_git(folder.string());
  if (has_ended()) return;
  observer_.begun(recorder_->design());
  if (recorder_->log().trials.empty()) record_builds(*recorder_, laid.cells);
  programs_.emplace(std::move(laid.cells), launcher_, recorder_->design(), plan_, offer_);
  std::map<CellId, ServiceCell> asked;  // by programs of the user's own
  for (auto at = laid.services.begin(); at != laid.services.end();)
    if (auto here = at++; !here->second.requests) asked.insert(laid.services.extract(here));
  clients_.emplace(std::move(asked), *programs_, launcher_, recorder_->design());
  services_.emplace(std::move(laid.services), launcher_, recorder_->design(), recorder_->log());
  rig_.emplace(*programs_, *services_, *clients_, *layouts_, recorder_->design().cells.size());
  life_.emplace(*recorder_, *rig_, observer_, options.stop);
}

}  // namespace assay::inline v1::campaign
