#include "assay/setup/prepare.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <filesystem>
#include <fstream>
#include <map>
#include <set>
#include <string>
#include <tuple>
#include <utility>
#include <vector>

#include "assay/build/compiler_info.hpp"
#include "assay/engine/open_campaign.hpp"
#include "assay/measure/file_io.hpp"
#include "assay/measure/program_file.hpp"
#include "assay/model/enum_names.hpp"
#include "assay/model/error.hpp"
#include "assay/model/log.hpp"
#include "assay/model/text.hpp"
#include "assay/plan/cells.hpp"
#include "assay/plan/plan_file.hpp"

namespace assay::setup {
namespace {

Design blank_design(const Plan& plan, const RunOptions& run, const PlanOptions& options) {
  Design design{.uid = engine::make_uid(),
                .title = plan.title,
                .kind = options.kind,
                .plan = plan::to_toml(plan),
                .started = unix_milliseconds(),
                .repeat_command = run.repeat_command,
                .folder = plan.folder,
                .confirms_uid = options.confirms_uid,
                .rules = {.margin = plan.margin,
                          .rounds_min = plan.rounds.min,
                          .rounds_max = plan.rounds.max,
                          .way = plan.rounds.mode,
                          .seed = plan.seed.value_or(engine::make_seed())}};
  if (plan.rounds.budget) design.rules.budget_ms = std::llround(*plan.rounds.budget * 1000);
  design.plan_digest = measure::digest_of(design.plan);
  return design;
}

IdTable<CandidateId, Candidate> candidates_of(const Plan& plan) {
  IdTable<CandidateId, Candidate> all;
  for (std::size_t i = 0; i < plan.candidates.size(); ++i) {
    const auto& planned = plan.candidates[i];
    Candidate candidate{.name = planned.name,
                        .baseline = plan::baseline_of(plan, CandidateId{static_cast<std::int64_t>(i)})};
    candidate.from.exe = planned.exe.empty() ? planned.run.front() : planned.exe;
    candidate.distinguishing_arguments = planned.run;
    for (const auto& [name, level] : planned.with)
      candidate.distinguishing_arguments.push_back(name + "=" + to_string(level));
    all.add(std::move(candidate));
  }
  return all;
}

void add_provenance(const build::BuildResult& built, Provenance& from) {
  from.commit = built.from.commit;
  from.commit_time = built.from.time;
  from.compiler = built.compiler;
  from.flags = built.flags;
}

void add_notes_of_program(const std::string& program, Provenance& from) {
  const auto notes = build::compiler_info(program);
  if (!notes.compiler.empty()) from.compiler = notes.compiler;  // surer than what the build would have used
  if (from.flags.empty()) from.flags = notes.flags;
}

class CellPreparer {
 public:
  CellPreparer(const Plan& plan, const CandidateBuilds& builds, measure::Launcher& launcher,
               const RunOptions& run, const PlanOptions& options)
      : plan_(plan), builds_(builds), launcher_(launcher), run_(run), options_(options) {}

  PreparedCells run(const runners::Capabilities& offer) {
    auto& design = laid_.record.design;
    design = blank_design(plan_, run_, options_);
    design.factors = plan_.factors;
    design.candidates = candidates_of(plan_);
    design.metrics = runners::select_metrics(plan_, offer);
    for (const auto& workload : plan_.workloads)
      design.workloads.add({.name = workload.name,
                            .run = workload.run,
                            .weight = workload.weight,
                            .digest = measure::digest_of(plan::canonical_text(workload))});
    planned_ = plan::expand_cells(
        plan_, [&](CandidateId id, const Setting& setting) { return builds_.paths(id, setting); });
    design.comparisons = plan::comparisons_of(planned_, plan_);
    for (const auto& planned : planned_) design.cells.add(planned.cell);
    for (const auto cell : planned_.ids()) {
      states_.add(planned_[cell].state);
      laid_.cells.add({.folder = plan_.folder});
      prepare_cell(cell);
    }
    query_identities();
    programs_ = expand_function_workloads(plan_, run_.stop, launcher_, laid_, planned_, states_);
    if (!options_.only_cells.empty())
      std::erase_if(design.comparisons, [&](const Comparison& comparison) {
        return !options_.only_cells.contains({design.candidate_of(comparison.candidate).name,
                                              design.workload_of(comparison.candidate).name,
                                              design.cells[comparison.candidate].setting.text()});
      });
    if (plan_.rounds.twin) twins();
    for (const auto cell : design.cells.ids())
      if (!states_[cell].is_ok()) laid_.record.log.status_changes.push_back({cell, states_[cell]});
    return std::move(laid_);
  }

 private:
  void prepare_cell(CellId id) {
    auto& design = laid_.record.design;
    const auto& planned = planned_[id];
    const auto* built = builds_.find(planned.cell.candidate, planned.cell.setting);
    auto& candidate = design.candidates[planned.cell.candidate];
    if (built != nullptr && candidate.from.commit.empty() && candidate.from.compiler.empty())
      add_provenance(*built, candidate.from);
    if (built != nullptr && !built->ok) states_[id] = {StatusCode::failed, built->why};
    if (!states_[id].is_ok()) return;
    try {
      laid_.cells[id] = program_cell(planned);
    } catch (const Error& error) {
      const bool its_own = error.place() == planned.program || error.place() == planned.command.front();
      if (built == nullptr || !its_own) throw;
      std::string yields;
      for (const auto& name : build::programs_of(*built, 5)) yields += (yields.empty() ? "" : ", ") + name;
      states_[id] = {StatusCode::failed, "its build yields no such program: " + error.place() +
                                             "; in ${out} there is " + (yields.empty() ? "none" : yields)};
      return;
    }
    if (planned.serving && states_[id].is_ok()) {
      laid_.services.emplace(id, runners::server_cell(laid_.cells[id], plan_.workload(planned.cell.workload),
                                                      *planned.serving, plan_.folder));
      if (!planned.client.empty()) laid_.cells[id] = client_of(laid_.cells[id], planned.client);
      laid_.services.at(id).process.command.stdin_file.clear();
    }
    if (built != nullptr) {
      laid_.cells[id].build_seconds = built->seconds;
      laid_.cells[id].relink = built->relink;
      laid_.cells[id].built_for = planned.cell.setting.text();
    }
    const auto& program = laid_.cells[id].program;
    if (candidate.from.exe_digest.empty()) {
      candidate.from.exe_digest = measure::digest_of_file(program);
      candidate.from.loaded_digest = measure::loaded_digest_of(program);
      if (const auto script = script_of(planned); built == nullptr && !script.empty()) {
        candidate.from.exe_digest =
            measure::digest_of(candidate.from.exe_digest + measure::digest_of_file(script));
        candidate.from.loaded_digest.clear();  // what is loaded is the interpreter
      }
      add_notes_of_program(program, candidate.from);
    }
    if (built != nullptr) record_build(planned, *built, program);
  }

  /// The script that a cell's command gives its interpreter: the first argument that is no option, where it
  /// names a file that begins with #! or has an interpreter's ending. Empty: there is none.
  std::string script_of(const plan::PlannedCell& planned) const {
    const auto& words = planned.command;
    const auto at =
        std::find_if(words.begin() + 1, words.end(), [](const auto& w) { return !w.starts_with("-"); });
    if (at == words.end()) return {};
    const auto path = std::filesystem::path(plan_.folder) / *at;
    std::error_code unreadable;
    if (!std::filesystem::is_regular_file(path, unreadable)) return {};
    static const std::set<std::string> endings = {".js", ".lua", ".mjs", ".php", ".pl",
                                                  ".py", ".R",   ".rb",  ".sh"};
    std::array<char, 2> head{};
    std::ifstream(path, std::ios::binary).read(head.data(), head.size());
    return endings.contains(path.extension()) || (head[0] == '#' && head[1] == '!') ? path.string()
                                                                                    : std::string();
  }

  /// Each candidate has a build for each setting that its steps depend on.
  void record_build(const plan::PlannedCell& planned, const build::BuildResult& built,
                    const std::string& program) {
    auto& builds = laid_.record.design.builds;
    const auto setting = planned.cell.setting.text();
    if (std::ranges::any_of(builds, [&](const BuildInfo& b) {
          return b.candidate == planned.cell.candidate && b.setting == setting;
        }))
      return;
    BuildInfo facts{.candidate = planned.cell.candidate,
                    .setting = setting,
                    .tree = built.from.tree,
                    .compiler = built.compiler,
                    .flags = built.flags,
                    .exe_digest = measure::digest_of_file(program),
                    .loaded_digest = measure::loaded_digest_of(program)};
    for (const auto& step : plan::expand_steps(plan_, planned.cell.candidate, planned.cell.setting)) {
      std::string line;
      for (const auto& word : step) line += (line.empty() ? "" : " ") + word;
      facts.steps.push_back(std::move(line));
    }
    builds.push_back(std::move(facts));
  }

  runners::ProgramCell program_cell(const plan::PlannedCell& planned) const {
    const auto& workload = plan_.workload(planned.cell.workload);
    runners::ProgramCell cell{.planned = planned,
                              .folder = plan_.folder,
                              .throughput = metric_id(runners::throughput_name(plan_, workload.work))};
    cell.command.program = measure::find_program(planned.command.front(), plan_.folder);
    cell.program = measure::find_program(planned.program, plan_.folder);
    cell.command.arguments = planned.command;
    cell.command.directory = plan_.folder;
    cell.command.timeout = workload.timeout;
    if (cell.planned.control.environment)
      for (auto& variable : *cell.planned.control.environment)
        if (const auto value = options_.variables.find(variable); value != options_.variables.end())
          variable += "=" + value->second;
    cell.command.environment = cell.planned.control.environment;
    cell.command.cores = planned.control.cores;
    cell.command.nice = planned.control.nice;
    cell.command.memory_limit = planned.control.memory_limit;
    cell.command.file_limit = planned.control.file_limit;
    for (const auto* step : {&planned.control.before.run, &planned.control.after.run, &planned.check.program})
      if (!step->empty()) measure::find_program(step->front(), plan_.folder);
    if (!planned.check.file.empty())
      cell.expected = measure::content_of(measure::find_readable(planned.check.file, plan_.folder));
    for (std::size_t i = 0; i < plan_.metrics.size(); ++i) {
      const auto& own = plan_.metrics[i];
      const bool here = own.workloads.empty() || std::ranges::count(own.workloads, workload.name) > 0;
      if (!own.from.empty() && here)
        cell.metrics.push_back({own, metric_id(own.metric.name), planned.metric_files[i], {}});
    }
    if (!planned.stdin_file.empty())
      cell.command.stdin_file = measure::find_input(planned.stdin_file, plan_.folder);
    return cell;
  }

  /// The program that asks a server: what goes before and after is the server's.
  runners::ProgramCell client_of(runners::ProgramCell server, const std::vector<std::string>& words) const {
    server.command.program = measure::find_program(words.front(), plan_.folder);
    server.command.arguments = words;
    server.command.cores.clear();
    server.command.memory_limit = 0;
    server.planned.control = Control{.environment = server.planned.control.environment,
                                     .pause = server.planned.control.pause,
                                     .keep_output = server.planned.control.keep_output};
    return server;
  }

  /// The campaign's metric of this name; empty where it can't be measured.
  std::optional<MetricId> metric_id(const std::string& name) const {
    return laid_.record.design.metrics.find(
        [&](const Metric& m) { return m.name == name && m.request.missing.empty(); });
  }

  /// Runs each candidate's `identify` once, and takes out those that are not there.
  void query_identities() {
    auto& design = laid_.record.design;
    std::set<CandidateId> asked;
    for (const auto cell : planned_.ids()) {
      const auto candidate = design.cells[cell].candidate;
      const bool serves = planned_[cell].serving && !planned_[cell].serving->identify_path.empty();
      if ((planned_[cell].identify.empty() && !serves) || !states_[cell].is_ok() ||
          !asked.insert(candidate).second)
        continue;
      const auto identity =
          serves ? query_server_identity(laid_.services.at(cell), planned_[cell].serving->identify_path,
                                         launcher_, run_.stop)
                 : query_identity(planned_[cell].identify, plan_.folder, launcher_, run_.stop);
      if (identity.is_ok()) {
        design.candidates[candidate].from.identity = identity.detail;
        continue;
      }
      for (const auto other : design.cells.ids())
        if (design.cells[other].candidate == candidate && states_[other].is_ok()) states_[other] = identity;
    }
  }

  void twins() {
    auto& design = laid_.record.design;
    const auto originals = planned_.next_id();
    plan::add_twins(plan_, planned_, design.comparisons);
    for (const auto baseline : plan::baselines_of(plan_)) {
      auto twin = design.candidates[baseline];
      twin.name += " (twin)";
      twin.baseline = twin.twin_of = baseline;
      design.candidates.add(std::move(twin));
    }
    std::map<CellId, CellId> original_of;
    for (const auto& comparison : design.comparisons)
      if (comparison.candidate >= originals) original_of[comparison.candidate] = comparison.baseline;
    for (const auto& [copy, original] : original_of) {
      design.cells.add(planned_[copy].cell);
      states_.add(states_[original]);
      auto cell = laid_.cells[original];
      cell.build_seconds = 0;
      if (cell.part) cell.part->program += programs_;  // the twin runs for itself
      const auto twin = laid_.cells.add(std::move(cell));
      if (const auto serving = laid_.services.find(original); serving != laid_.services.end())
        laid_.services.emplace(twin, serving->second);
    }
  }

  const Plan& plan_;
  const CandidateBuilds& builds_;
  measure::Launcher& launcher_;
  const RunOptions& run_;
  const PlanOptions& options_;
  plan::PlannedCells planned_;
  IdTable<CellId, CellStatus> states_;
  PreparedCells laid_;
  int programs_ = 0;  ///< contest programs that were split
};

}  // namespace

PreparedCells prepare_cells(const Plan& plan, const CandidateBuilds& builds, measure::Launcher& launcher,
                            const runners::Capabilities& offer, const RunOptions& run,
                            const PlanOptions& options) {
  return CellPreparer(plan, builds, launcher, run, options).run(offer);
}

}  // namespace assay::setup
