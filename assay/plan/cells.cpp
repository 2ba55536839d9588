#include "assay/plan/cells.hpp"

#include <algorithm>
#include <charconv>
#include <cmath>
#include <filesystem>
#include <map>
#include <set>
#include <thread>
#include <tuple>

#include "assay/model/error.hpp"
#include "assay/model/text.hpp"
#include "assay/plan/plan_file.hpp"

namespace assay::plan {

namespace {

using Values = std::map<std::string, std::string>;

Values levels_for(const PlannedCandidate& candidate, const Setting& setting, const std::string& folder) {
  Values values = {{"candidate", candidate.name}, {"folder", folder}};
  for (const auto& [name, level] : setting.levels) values[name] = to_string(level);
  for (const auto& [name, level] : candidate.with) values[name] = to_string(level);
  return values;
}

Values values_for(const PlannedCandidate& candidate, const Setting& setting, const std::string& folder,
                  const BuildPaths& place) {
  auto values = levels_for(candidate, setting, folder);
  values["jobs"] = std::to_string(std::thread::hardware_concurrency());
  if (!candidate.build.steps.empty()) {
    values["source"] = place.source;
    values["out"] = place.out;
  }
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

Control expand_control(Control control, const Values& values, const Values& with_trial) {
  control.cold = expand_all(control.cold, values);
  control.before.run = expand_all(control.before.run, with_trial);
  control.after.run = expand_all(control.after.run, with_trial);
  if (control.environment) control.environment = expand_all(*control.environment, with_trial);
  return control;
}

OutputCheck expand_check(OutputCheck check, const Values& values) {
  check.file = expand(check.file, values);
  check.program = expand_all(check.program, values);
  return check;
}

/// A number of clients, or a rate "40/s".
double amount_of(const std::string& text, const char* what, const char* like) {
  double amount = 0;
  const auto* const end = text.data() + text.size();
  if (std::from_chars(text.data(), end, amount).ptr != end || !(amount > 0) || !std::isfinite(amount))
    throw Error("\"" + text + "\" is no " + what, {}, std::string("write it like ") + like);
  return amount;
}

ServiceSpec expand_serving(const PlannedWorkload& workload, const Values& values) {
  const auto& service = *workload.service;
  ServiceSpec serving{.socket = expand(service.socket, values),
                      .ready_path = expand(service.ready.path, values),
                      .identify_path = expand(service.identify.path, values)};
  if (!workload.requests) return serving;
  const auto& requests = *workload.requests;
  serving.file = expand(requests.file, values);
  serving.path = expand(requests.path, values);
  if (!requests.clients.empty()) {
    const double clients = amount_of(expand(requests.clients, values), "number of clients", "8");
    constexpr double most = 10000;
    if (clients != std::floor(clients) || clients > most)
      throw Error("\"" + requests.clients + "\" is no number of clients", {},
                  "write it like 8; 10000 at most");
    serving.clients = static_cast<int>(clients);
  }
  if (auto rate = expand(requests.arrivals, values); !rate.empty()) {
    if (!rate.ends_with("/s")) throw Error("\"" + rate + "\" is no rate", {}, "write it like \"40/s\"");
    rate.resize(rate.size() - 2);
    serving.arrivals = amount_of(rate, "rate", "\"40/s\"");
  }
  return serving;
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

bool applies_to(const PlannedCandidate& candidate, const Setting& setting) {
  return std::ranges::all_of(candidate.with, [&](const auto& fixed) {
    const auto level = setting.levels.find(fixed.first);
    return level == setting.levels.end() || to_string(level->second) == to_string(fixed.second);
  });
}

CandidateId baseline_of(const Plan& plan) {
  const auto found = std::ranges::find(plan.candidates, plan.baseline, &PlannedCandidate::name);
  return CandidateId{found == plan.candidates.end() ? 0 : found - plan.candidates.begin()};
}

std::optional<CandidateId> baseline_of(const Plan& plan, CandidateId candidate) {
  const auto baseline = baseline_of(plan);
  if (candidate == baseline) return {};
  const auto& against = plan.candidate(candidate).baseline;
  const auto found = std::ranges::find(plan.candidates, against, &PlannedCandidate::name);
  return against.empty() || found == plan.candidates.end() ? baseline
                                                           : CandidateId{found - plan.candidates.begin()};
}

std::vector<CandidateId> baselines_of(const Plan& plan) {
  std::set<CandidateId> all;
  for (std::size_t i = 0; i < plan.candidates.size(); ++i)
    if (const auto baseline = baseline_of(plan, CandidateId{static_cast<std::int64_t>(i)}))
      all.insert(*baseline);
  return {all.begin(), all.end()};
}

std::vector<std::vector<std::string>> expand_steps(const Plan& plan, CandidateId id, const Setting& setting) {
  const auto& candidate = plan.candidate(id);
  auto values = levels_for(candidate, setting, plan.folder);
  for (const char* name : {"source", "out", "jobs"}) values[name] = "${" + std::string(name) + "}";
  std::vector<std::vector<std::string>> steps;
  for (const auto& step : candidate.build.steps) steps.push_back(expand_all(step, values));
  return steps;
}

namespace {

/// The command of a candidate on a workload: its own, else the workload's.
const std::vector<std::string>& command_of(const PlannedCandidate& candidate,
                                           const PlannedWorkload& workload) {
  if (workload.service && !workload.service->start.empty()) return workload.service->start;
  if (workload.service) return candidate.run;
  if (!workload.contest.empty()) return workload.contest;
  return candidate.run.empty() ? workload.run : candidate.run;
}

PlannedCell expand_cell(const Plan& plan, const Cell& cell, const BuildPaths& place) {
  const auto& workload = plan.workload(cell.workload);
  const auto& candidate = plan.candidate(cell.candidate);
  const auto values = values_for(candidate, cell.setting, plan.folder, place);
  PlannedCell planned{.cell = cell};
  if (std::ranges::count(workload.skip, candidate.name) > 0)
    planned.state = {StatusCode::unsupported, "left out by the plan"};
  auto with_trial = values;
  with_trial.insert(trial_placeholders().begin(), trial_placeholders().end());
  planned.command = expand_all(command_of(candidate, workload), with_trial);
  planned.program = planned.command.empty() ? "" : planned.command.front();
  const auto names_exe = [&](const std::string& word) {
    return word.find(values.at("exe")) != std::string::npos;
  };
  if (!candidate.exe.empty() && std::ranges::any_of(planned.command, names_exe))
    planned.program = values.at("exe");
  planned.identify = expand_all(candidate.identify, values);
  planned.check = expand_check(workload.check, values);
  planned.stdin_file = expand(workload.stdin_file, values);
  planned.control = expand_control(workload.control, values, with_trial);
  planned.work = work_done(workload.work, values);
  if (workload.service) {
    planned.serving = expand_serving(workload, values);
    planned.client = expand_all(workload.run, with_trial);
  }
  for (const auto& metric : plan.metrics) planned.metric_files.push_back(expand(metric.from, values));
  return planned;
}

}  // namespace

std::vector<std::string> display_command(std::vector<std::string> command, const std::string& folder) {
  for (auto& word : command) word = bind_placeholders(std::move(word), "port", "${port}");
  if (command.front().starts_with(folder + "/")) command.front().erase(0, folder.size() + 1);
  return command;
}

PlannedCells expand_cells(const Plan& plan, const BuildPlaces& places) {
  PlannedCells cells;
  const auto settings = all_settings(plan.factors);
  for (std::size_t w = 0; w < plan.workloads.size(); ++w)
    for (const auto& setting : settings)
      for (std::size_t c = 0; c < plan.candidates.size(); ++c) {
        const CandidateId id{static_cast<std::int64_t>(c)};
        if (!applies_to(plan.candidate(id), setting)) continue;
        const bool built = places && !plan.candidate(id).build.steps.empty();
        const Cell cell{
            .candidate = id, .workload = WorkloadId{static_cast<std::int64_t>(w)}, .setting = setting};
        cells.add(expand_cell(plan, cell, built ? places(id, setting) : BuildPaths{}));
      }
  return cells;
}

std::vector<Comparison> comparisons_of(const PlannedCells& cells, const Plan& plan) {
  std::map<std::tuple<CandidateId, WorkloadId, std::string>, CellId> places;
  for (const auto id : cells.ids()) {
    const auto& cell = cells[id].cell;
    places[{cell.candidate, cell.workload, cell.setting.text()}] = id;
  }
  std::vector<Comparison> comparisons;
  for (const auto id : cells.ids()) {
    const auto& cell = cells[id].cell;
    const auto baseline = baseline_of(plan, cell.candidate);
    if (!baseline || !cells[id].state.is_ok()) continue;
    const auto partner = places.find({*baseline, cell.workload, cell.setting.text()});
    if (partner != places.end() && cells[partner->second].state.is_ok())
      comparisons.push_back({partner->second, id});
  }
  return comparisons;
}

void add_twins(const Plan& plan, PlannedCells& cells, std::vector<Comparison>& comparisons) {
  std::set<CellId> in_use;
  for (const auto& comparison : comparisons) in_use.insert(comparison.baseline);
  auto twin = static_cast<std::int64_t>(plan.candidates.size());
  for (const auto baseline : baselines_of(plan)) {
    for (const auto original : in_use) {
      if (cells[original].cell.candidate != baseline) continue;
      auto copy = cells[original];
      copy.cell.candidate = CandidateId{twin};
      comparisons.push_back({original, cells.add(std::move(copy))});
    }
    ++twin;
  }
}

std::vector<std::string> plan_warnings(const Plan& plan) {
  std::vector<std::string> remarks;
  const bool all_have_their_own =
      std::ranges::all_of(plan.candidates, [](const PlannedCandidate& c) { return !c.run.empty(); });
  for (const auto& workload : plan.workloads)
    if (all_have_their_own && !workload.run.empty())
      remarks.push_back("workload " + workload.name +
                        ": its run is never used, since every candidate has a run of its own");
  return remarks;
}

namespace {

template <class Things>
std::vector<std::string> names_of(const Things& things) {
  std::vector<std::string> names;
  for (const auto& thing : things) names.push_back(thing.name);
  return names;
}

void refuse_unknown(const Plan& plan, const CellFilter& only) {
  only.refuse_unknown_names(names_of(plan.factors), "the plan");
  for (const auto& [name, values] : only.allowed) {
    std::vector<std::string> there;
    if (name == "candidate") there = names_of(plan.candidates);
    if (name == "workload") there = names_of(plan.workloads);
    for (const auto& factor : plan.factors)
      if (factor.name == name)
        for (const auto& level : factor.levels) there.push_back(to_string(level));
    for (const auto& value : values)
      if (std::ranges::count(there, value) == 0)
        throw Error("there is no " + name + " \"" + value + "\"", Error::Field::only,
                    did_you_mean(value, there));
  }
}

bool has_level(const Factor& factor, const Level& level) {
  return std::ranges::any_of(factor.levels, [&](const auto& l) { return to_string(l) == to_string(level); });
}

}  // namespace

void filter_plan(Plan& plan, const CellFilter& only) {
  if (only.empty()) return;
  refuse_unknown(plan, only);
  if (plan.baseline.empty()) plan.baseline = plan.candidates.front().name;
  std::erase_if(plan.workloads, [&](const auto& w) { return !only.matches("workload", w.name); });
  for (auto& factor : plan.factors)
    std::erase_if(factor.levels, [&](const auto& l) { return !only.matches(factor.name, to_string(l)); });

  std::set<std::string> needed;
  for (std::size_t i = 0; i < plan.candidates.size(); ++i)
    if (only.matches("candidate", plan.candidates[i].name))
      if (const auto baseline = baseline_of(plan, CandidateId{static_cast<std::int64_t>(i)}))
        needed.insert(plan.candidate(*baseline).name);
  needed.insert(plan.baseline);
  std::erase_if(plan.candidates, [&](const PlannedCandidate& c) {
    const bool ruled_out = std::ranges::any_of(plan.factors, [&](const Factor& factor) {
      const auto fixed = c.with.find(factor.name);
      return fixed != c.with.end() && !has_level(factor, fixed->second);
    });
    return ruled_out || (!only.matches("candidate", c.name) && !needed.contains(c.name));
  });

  const auto left = names_of(plan.candidates), workloads = names_of(plan.workloads);
  const auto gone_from = [](const std::vector<std::string>& names) {
    return [&](const std::string& name) { return std::ranges::count(names, name) == 0; };
  };
  for (auto& workload : plan.workloads) std::erase_if(workload.skip, gone_from(left));
  std::erase_if(plan.metrics, [&](PlannedMetric& metric) {
    const bool named = !metric.workloads.empty();
    std::erase_if(metric.workloads, gone_from(workloads));
    if (named && metric.workloads.empty()) std::erase(plan.watch, metric.metric.name);
    return named && metric.workloads.empty();
  });
  try {
    validate(plan);
  } catch (const Error& error) {
    throw Error("nothing is left to compare: " + error.problem(), Error::Field::only, "choose less narrowly");
  }
}

}  // namespace assay::plan
