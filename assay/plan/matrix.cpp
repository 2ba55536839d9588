#include "assay/plan/matrix.hpp"

#include <algorithm>
#include <charconv>
#include <cmath>
#include <filesystem>
#include <map>
#include <thread>

#include "assay/model/error.hpp"
#include "assay/plan/placeholders.hpp"

namespace assay::plan {
namespace {

/// A `with` that names a factor restricts the candidate to that level of it.
bool takes_part(const PlannedCandidate& candidate, const Setting& setting) {
  return std::ranges::all_of(candidate.with, [&](const auto& fixed) {
    const auto level = setting.levels.find(fixed.first);
    return level == setting.levels.end() || to_string(level->second) == to_string(fixed.second);
  });
}

using Values = std::map<std::string, std::string>;

Values values_for(const PlannedCandidate& candidate, const Setting& setting, const std::string& folder) {
  Values values = {{"candidate", candidate.name},
                   {"folder", folder},
                   {"jobs", std::to_string(std::thread::hardware_concurrency())}};
  for (const auto& [name, level] : setting.levels) values[name] = to_string(level);
  for (const auto& [name, level] : candidate.with) values[name] = to_string(level);
  if (!candidate.exe.empty()) {
    const auto exe = expand(candidate.exe, values);
    const bool bare = exe.find('/') == std::string::npos;
    values["exe"] =
        bare ? exe
             : std::filesystem::absolute(std::filesystem::path(folder) / exe).lexically_normal().string();
  }
  return values;
}

std::vector<std::string> expand_all(const std::vector<std::string>& texts, const Values& values) {
  std::vector<std::string> expanded;
  for (const auto& text : texts) expanded.push_back(expand(text, values));
  return expanded;
}

Control expand_control(Control control, const Values& values) {
  control.cold = expand_all(control.cold, values);
  control.before.run = expand_all(control.before.run, values);
  control.after.run = expand_all(control.after.run, values);
  if (control.environment) control.environment = expand_all(*control.environment, values);
  return control;
}

std::optional<double> work_done(const Work& work, const Values& values) {
  if (work.amount.empty()) return {};
  const auto text = expand(work.amount, values);
  double amount = 0;
  const auto* const end = text.data() + text.size();
  if (std::from_chars(text.data(), end, amount).ptr != end || !(amount > 0) || !std::isfinite(amount))
    throw Error("the amount of work is \"" + text + "\"", {}, "it must be a number above 0");
  return amount;
}

}  // namespace

std::vector<Setting> all_settings(const std::vector<Factor>& factors) {
  std::vector<Setting> settings(1);
  for (const auto& factor : factors) {
    std::vector<Setting> wider;
    for (const auto& setting : settings)
      for (const auto& level : factor.levels) {
        wider.push_back(setting);
        wider.back().levels[factor.name] = level;
      }
    settings = std::move(wider);
  }
  return settings;
}

CandidateId baseline_of(const Plan& plan) {
  const auto found = std::ranges::find(plan.candidates, plan.baseline, &PlannedCandidate::name);
  return CandidateId{found == plan.candidates.end() ? 0 : found - plan.candidates.begin()};
}

std::vector<PlannedCell> expand_cells(const Plan& plan) {
  std::vector<PlannedCell> cells;
  const auto settings = all_settings(plan.factors);
  for (std::size_t w = 0; w < plan.workloads.size(); ++w)
    for (const auto& setting : settings)
      for (std::size_t c = 0; c < plan.candidates.size(); ++c) {
        const auto& workload = plan.workloads[w];
        const auto& candidate = plan.candidates[c];
        if (std::ranges::count(workload.skip, candidate.name) > 0 || !takes_part(candidate, setting))
          continue;
        const auto values = values_for(candidate, setting, plan.folder);
        PlannedCell planned;
        planned.cell = {.candidate = CandidateId{static_cast<std::int64_t>(c)},
                        .workload = WorkloadId{static_cast<std::int64_t>(w)},
                        .setting = setting};
        planned.command = expand_all(workload.run.empty() ? candidate.run : workload.run, values);
        planned.control = expand_control(workload.control, values);
        planned.work = work_done(workload.work, values);
        for (const auto& metric : plan.metrics) planned.metric_files.push_back(expand(metric.from, values));
        cells.push_back(std::move(planned));
      }
  return cells;
}

std::vector<Contrast> contrasts_of(const std::vector<PlannedCell>& cells, const Plan& plan) {
  const auto baseline = baseline_of(plan);
  std::map<std::pair<WorkloadId, std::string>, CellId> baselines;
  for (std::size_t i = 0; i < cells.size(); ++i)
    if (cells[i].cell.candidate == baseline)
      baselines[{cells[i].cell.workload, cells[i].cell.setting.text()}] =
          CellId{static_cast<std::int64_t>(i)};
  std::vector<Contrast> contrasts;
  for (std::size_t i = 0; i < cells.size(); ++i) {
    if (cells[i].cell.candidate == baseline) continue;
    const auto partner = baselines.find({cells[i].cell.workload, cells[i].cell.setting.text()});
    if (partner != baselines.end())
      contrasts.push_back({partner->second, CellId{static_cast<std::int64_t>(i)}});
  }
  return contrasts;
}

}  // namespace assay::plan
