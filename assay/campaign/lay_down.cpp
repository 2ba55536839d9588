#include "assay/campaign/lay_down.hpp"

#include <algorithm>
#include <fstream>
#include <iterator>
#include <map>
#include <set>
#include <string>
#include <tuple>
#include <utility>

#include "assay/build/toolchain.hpp"
#include "assay/campaign/identity.hpp"
#include "assay/campaign/staging.hpp"
#include "assay/check/answer.hpp"
#include "assay/measure/digest.hpp"
#include "assay/measure/program.hpp"
#include "assay/model/error.hpp"
#include "assay/plan/matrix.hpp"
#include "assay/plan/read.hpp"

namespace assay::campaign {
namespace {

CampaignInfo info_of(const Plan& plan, const Options& options) {
  CampaignInfo info{.uid = draw_uid(),
                    .title = plan.title,
                    .kind = options.kind,
                    .plan = plan::to_toml(plan),
                    .seed = plan.seed.value_or(draw_seed()),
                    .started = milliseconds_now(),
                    .margin = plan.margin,
                    .rounds_min = plan.rounds.min,
                    .rounds_max = plan.rounds.max,
                    .abreast = plan.rounds.mode == PlannedRounds::Mode::abreast,
                    .repeat = options.repeat,
                    .folder = plan.folder,
                    .again_of = options.again_of};
  info.plan_digest = measure::digest_of(info.plan);
  return info;
}

std::vector<Candidate> candidates_of(const Plan& plan) {
  std::vector<Candidate> all;
  for (std::size_t i = 0; i < plan.candidates.size(); ++i) {
    const auto& planned = plan.candidates[i];
    Candidate candidate{.name = planned.name,
                        .against = plan::baseline_of(plan, CandidateId{static_cast<std::int64_t>(i)})};
    candidate.from.exe = planned.exe.empty() ? planned.run.front() : planned.exe;
    candidate.options = planned.run;
    for (const auto& [name, level] : planned.with) candidate.options.push_back(name + "=" + to_string(level));
    all.push_back(std::move(candidate));
  }
  return all;
}

void add_provenance(const build::Built& built, Provenance& from) {
  from.commit = built.from.commit;
  from.commit_time = built.from.time;
  from.compiler = built.compiler;
  from.flags = built.flags;
}

void add_notes_of_program(const std::string& program, Provenance& from) {
  const auto notes = build::notes_of_program(program);
  if (!notes.compiler.empty()) from.compiler = notes.compiler;  // surer than what the build would have used
  if (from.flags.empty()) from.flags = notes.flags;
}

std::string content_of(const std::string& path) {
  std::ifstream file(path, std::ios::binary);
  return {std::istreambuf_iterator<char>(file), {}};
}

class LayingDown {
 public:
  LayingDown(const Plan& plan, const Workshop& workshop, measure::Launcher& launcher, const Options& options)
      : plan_(plan), workshop_(workshop), launcher_(launcher), options_(options) {}

  LaidDown run(const Offer& offer) {
    auto& record = laid_.record;
    record.info = info_of(plan_, options_);
    record.factors = plan_.factors;
    record.candidates = candidates_of(plan_);
    for (const auto& workload : plan_.workloads)
      record.workloads.push_back({workload.name, workload.run, {}, workload.weight});
    auto planned = plan::expand_cells(
        plan_, [&](CandidateId id, const Setting& setting) { return workshop_.place(id, setting); });
    record.contrasts = plan::contrasts_of(planned, plan_);
    for (const auto& cell : planned) record.cells.push_back(cell.cell);
    if (!options_.chosen.empty())
      std::erase_if(record.contrasts, [&](const Contrast& contrast) {
        const auto& cell = record.cells[contrast.candidate.place()];
        return !options_.chosen.contains({record.candidates[cell.candidate.place()].name,
                                          record.workloads[cell.workload.place()].name, cell.setting.text()});
      });
    for (std::size_t i = 0; i < planned.size(); ++i) prepare(planned[i], record.cells[i]);
    ask_who_they_are(planned);
    if (plan_.rounds.twin) twins(planned);
    lay_out_metrics(plan_, offer, record);
    record.sittings.push_back(sitting_here());
    return std::move(laid_);
  }

 private:
  void prepare(const plan::PlannedCell& planned, Cell& cell) {
    const auto* built = workshop_.built(cell.candidate, cell.setting);
    auto& candidate = laid_.record.candidates[cell.candidate.place()];
    if (built != nullptr && candidate.from.commit.empty() && candidate.from.compiler.empty())
      add_provenance(*built, candidate.from);
    laid_.cells.push_back({.folder = plan_.folder});
    laid_.build_seconds.push_back(built == nullptr ? 0 : built->seconds);
    if (built != nullptr && !built->ok) {
      cell.standing = Standing::failed;
      cell.detail = built->why;
    }
    if (cell.standing != Standing::sound) return;
    try {
      laid_.cells.back() = ready(planned);
    } catch (const Error& error) {
      const bool its_own = error.place() == planned.program || error.place() == planned.command.front();
      if (built == nullptr || !its_own) throw;
      cell.standing = Standing::failed;
      cell.detail = "its build yields no such program: " + error.place();
      return;
    }
    const auto& program = laid_.cells.back().program;
    if (!candidate.from.exe_digest.empty()) return;
    candidate.from.exe_digest = measure::digest_of_file(program);
    add_notes_of_program(program, candidate.from);
  }

  ProcessCell ready(const plan::PlannedCell& planned) const {
    const auto& workload = plan_.workloads[planned.cell.workload.place()];
    ProcessCell cell{.check = planned.check,
                     .control = planned.control,
                     .folder = plan_.folder,
                     .work = planned.work,
                     .throughput = throughput_name(plan_, workload.work)};
    cell.command.program = measure::find_program(planned.command.front(), plan_.folder);
    cell.program = measure::find_program(planned.program, plan_.folder);
    cell.command.arguments = planned.command;
    cell.command.directory = plan_.folder;
    cell.command.timeout = workload.timeout;
    cell.command.environment = planned.control.environment;
    cell.command.cores = planned.control.cores;
    cell.command.nice = planned.control.nice;
    cell.command.memory_limit = planned.control.memory_limit;
    for (const auto* step : {&planned.control.before.run, &planned.control.after.run, &planned.check.program})
      if (!step->empty()) measure::find_program(step->front(), plan_.folder);
    if (!planned.check.file.empty())
      cell.expected = content_of(measure::find_readable(planned.check.file, plan_.folder));
    for (std::size_t i = 0; i < plan_.metrics.size(); ++i) {
      const auto& own = plan_.metrics[i];
      const bool here = own.workloads.empty() || std::ranges::count(own.workloads, workload.name) > 0;
      if (!own.from.empty() && here) cell.metrics.push_back({own, planned.metric_files[i], {}});
    }
    if (!workload.stdin_file.empty())
      cell.command.stdin_file = measure::find_readable(workload.stdin_file, plan_.folder);
    return cell;
  }

  /// Runs each candidate's `identify` once, and takes out those that are not there.
  void ask_who_they_are(const std::vector<plan::PlannedCell>& planned) {
    std::set<CandidateId> asked;
    for (std::size_t i = 0; i < planned.size(); ++i) {
      const auto& cell = laid_.record.cells[i];
      if (planned[i].identify.empty() || cell.standing != Standing::sound ||
          !asked.insert(cell.candidate).second)
        continue;
      const auto id = cell.candidate;
      const auto [standing, said] = who_is(planned[i].identify);
      if (standing == Standing::sound)
        laid_.record.candidates[id.place()].from.identity = said;
      else
        for (auto& other : laid_.record.cells)
          if (other.candidate == id && other.standing == Standing::sound) {
            other.standing = standing;
            other.detail = said;
          }
    }
  }

  std::pair<Standing, std::string> who_is(const std::vector<std::string>& identify) const {
    constexpr int not_here = 77;
    constexpr double patience = 30;
    measure::Command command{.program = measure::find_program(identify.front(), plan_.folder),
                             .arguments = identify,
                             .directory = plan_.folder,
                             .timeout = patience};
    const auto result = launcher_.run(command, options_.stop);
    if (result.not_started) return {Standing::failed, "can't be asked who it is: " + *result.not_started};
    if (result.interrupted) return {Standing::sound, {}};
    if (result.exit_status == not_here)
      return {Standing::absent, "says that it does not support this (identify ended with exit status 77)"};
    if (result.timed_out || result.signal != 0 || result.exit_status != 0)
      return {Standing::failed, "fails when asked who it is (identify)" + last_words(result)};
    const auto head = result.out->head();
    return {Standing::sound, check::printable_line(head.substr(0, head.find('\n')), 100)};
  }

  void twins(std::vector<plan::PlannedCell>& planned) {
    auto& record = laid_.record;
    const auto originals = planned.size();
    plan::add_twins(plan_, planned, record.contrasts);
    for (const auto baseline : plan::baselines_of(plan_)) {
      auto twin = record.candidates[baseline.place()];
      twin.name += " (twin)";
      twin.against = twin.twin_of = baseline;
      record.candidates.push_back(std::move(twin));
    }
    std::map<CellId, CellId> copies;
    for (const auto& contrast : record.contrasts)
      if (contrast.candidate.place() >= originals) copies[contrast.candidate] = contrast.baseline;
    for (std::size_t i = originals; i < planned.size(); ++i) {
      const auto original = copies.at(CellId{static_cast<std::int64_t>(i)}).place();
      auto cell = record.cells[original];
      cell.candidate = planned[i].cell.candidate;
      record.cells.push_back(std::move(cell));
      laid_.cells.push_back(laid_.cells[original]);
      laid_.build_seconds.push_back(0);
    }
  }

  const Plan& plan_;
  const Workshop& workshop_;
  measure::Launcher& launcher_;
  const Options& options_;
  LaidDown laid_;
};

}  // namespace

LaidDown lay_down(const Plan& plan, const Workshop& workshop, measure::Launcher& launcher, const Offer& offer,
                  const Options& options) {
  return LayingDown(plan, workshop, launcher, options).run(offer);
}

}  // namespace assay::campaign
