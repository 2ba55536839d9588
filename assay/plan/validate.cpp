#include <re2/re2.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <set>
#include <vector>

#include "assay/model/error.hpp"
#include "assay/model/text.hpp"
#include "assay/plan/cells.hpp"
#include "assay/plan/plan_error.hpp"
#include "assay/plan/plan_file.hpp"

namespace assay::plan {
namespace {

class Validator {
 public:
  Validator(const Plan& plan, const PlanErrors& refusal) : plan_(plan), refusal_(refusal) {}

  void run() {
    candidates();
    factors();
    workloads();
    rounds_and_margin();
    validate_metrics(plan_, refusal_);
    placeholders();
  }

 private:
  [[noreturn]] void fail(const std::string& path, const std::string& problem,
                         const std::string& remedy) const {
    refusal_.fail(path, problem, remedy);
  }

  void candidates() {
    candidate_names_ = refusal_.names(plan_.candidates, "candidate");
    if (plan_.candidates.size() < 2)
      fail("candidate",
           plan_.candidates.empty()
               ? "nothing to compare: there is no candidate"
               : "nothing to compare: \"" + candidate_names_[0] + "\" is the only candidate",
           "add a [[candidate]], at least two are needed");
    if (!plan_.baseline.empty() && std::ranges::count(candidate_names_, plan_.baseline) == 0)
      fail("plan.baseline", "baseline \"" + plan_.baseline + "\" is not among the candidates",
           did_you_mean(plan_.baseline, candidate_names_));
    for (std::size_t i = 0; i < plan_.candidates.size(); ++i) {
      const auto& candidate = plan_.candidates[i];
      source(candidate, entry("candidate", i));
      baseline(candidate, entry("candidate", i));
      for (const auto& [name, level] : candidate.with) {
        placeholder_name(name, entry("candidate", i) + ".with");
        const auto factor = std::ranges::find(plan_.factors, name, &Factor::name);
        if (factor == plan_.factors.end()) continue;
        if (std::ranges::none_of(factor->levels, [&, &fixed = level](const auto& l) {
              return to_string(l) == to_string(fixed);
            }))
          fail(entry("candidate", i) + ".with",
               to_string(level) + " is not a level of factor \"" + name + "\"",
               "add it to the factor's levels, or choose one of them");
      }
    }
  }

  /// What may stand in ${…}.
  void placeholder_name(const std::string& name, const std::string& path) const {
    if (std::ranges::count(reserved_placeholders(), name) > 0)
      fail(path, "\"" + name + "\" is a reserved placeholder", "choose another name");
    if (std::ranges::any_of(name, [](unsigned char c) { return c < 0x20 || c == 0x7f || c == '}'; }))
      fail(path, "a name with a brace or a control character", "choose another name: it is to stand in ${…}");
  }

  /// Where its program comes from.
  void source(const PlannedCandidate& candidate, const std::string& path) const {
    const auto who = "candidate \"" + candidate.name + "\"";
    if (candidate.build.steps.empty() && (!candidate.commit.empty() || !candidate.source.empty()))
      fail(path, "nothing says how " + who + " is built", "give the plan a [build] with steps and exe");
    if (candidate.exe.empty() && candidate.run.empty())
      fail(path, who + " has no program",
           candidate.build.steps.empty() ? "give it exe = \"…\", or the plan a [build]"
                                         : "say what its build yields: exe = \"${out}/…\"");
    if (!candidate.build.steps.empty() && !(candidate.build.timeout > 0))
      fail(path, "a timeout must be longer than nothing", "write it like \"30 min\"");
    const int relink = candidate.build.relink;
    if (relink > 0 && relink < fewest_rounds)
      fail(path, "relink is " + std::to_string(relink) + ", and so few layouts could decide nothing",
           "write relink = true, or how many layouts, " + std::to_string(fewest_rounds) +
               " or more: relink = 16");
  }

  void baseline(const PlannedCandidate& candidate, const std::string& path) const {
    if (candidate.baseline.empty()) return;
    const auto refuse = [&](const std::string& problem, const std::string& remedy) {
      fail(path + ".against", problem, remedy);
    };
    if (std::ranges::count(candidate_names_, candidate.baseline) == 0)
      refuse("\"" + candidate.baseline + "\" is not among the candidates",
             did_you_mean(candidate.baseline, candidate_names_));
    if (candidate.name == plan_.candidate(baseline_of(plan_)).name)
      refuse("the plan's baseline \"" + candidate.name + "\" is compared with another",
             "leave against out, or choose another baseline");
    auto at = candidate.baseline;
    for (std::size_t steps = 0; !at.empty(); ++steps) {
      if (steps > plan_.candidates.size() || at == candidate.name)
        refuse("\"" + candidate.name + "\" would be compared with itself, in a circle",
               "compare one of them with the plan's baseline");
      const auto next = std::ranges::find(plan_.candidates, at, &PlannedCandidate::name);
      at = next == plan_.candidates.end() ? std::string{} : next->baseline;
    }
  }

  void factors() {
    refusal_.names(plan_.factors, "factor");
    for (std::size_t i = 0; i < plan_.factors.size(); ++i) {
      const auto& factor = plan_.factors[i];
      placeholder_name(factor.name, entry("factor", i) + ".name");
      if (factor.levels.empty())
        fail(entry("factor", i) + ".levels", "factor \"" + factor.name + "\" has no levels",
             "list at least one");
      std::set<std::string> texts;
      for (const auto& level : factor.levels)
        if (!texts.insert(to_string(level)).second)
          fail(entry("factor", i) + ".levels",
               "factor \"" + factor.name + "\" has level " + to_string(level) + " twice",
               "list each level once");
    }
  }

  /// A workload that is split into its functions.
  void contest(const PlannedWorkload& workload, const std::string& path) const {
    if (!workload.run.empty() || workload.service)
      fail(path + ".contest",
           "workload \"" + workload.name + "\" is a contest, and has another command besides",
           "leave out run and service");
    if (plan_.rounds.mode == Way::abreast || plan_.rounds.mode == Way::slices)
      fail(path + ".contest",
           "contests can't run " + way_text(plan_.rounds.mode) + ": their functions are timed within them",
           "leave mode out");
    for (const auto& factor : plan_.factors)
      if (factor.name == "function")
        fail(path + ".contest",
             "a factor of the plan is called \"function\", the name that a contest's functions go by",
             "give the factor another name");
  }

  void workloads() {
    refusal_.names(plan_.workloads, "workload");
    if (plan_.workloads.empty())
      fail("workload", "there is no workload", "add a [[workload]] that says what every candidate runs");
    for (std::size_t i = 0; i < plan_.workloads.size(); ++i) {
      const auto& workload = plan_.workloads[i];
      if (!workload.contest.empty()) contest(workload, entry("workload", i));
      if (workload.run.empty() && workload.contest.empty() && !workload.service)
        for (const auto& candidate : plan_.candidates)
          if (candidate.run.empty())
            fail(entry("workload", i), "workload \"" + workload.name + "\" has no command",
                 "give it run = [\"${exe}\", …]");
      for (const auto& name : workload.skip)
        if (std::ranges::count(candidate_names_, name) == 0)
          fail(entry("workload", i) + ".skip", "skipped \"" + name + "\" is not among the candidates",
               did_you_mean(name, candidate_names_));
      if (!(workload.timeout > 0))
        fail(entry("workload", i) + ".timeout", "a timeout must be longer than nothing",
             "write it like \"30 s\"");
      if (!(workload.weight > 0) || !std::isfinite(workload.weight))
        fail(entry("workload", i) + ".weight", "a weight must be a number above 0",
             "leave it out for the same weight as others");
      check(workload.check, entry("workload", i) + ".check");
      validate_service(plan_, workload, entry("workload", i), refusal_);
      control(workload.control, entry("workload", i));
    }
  }

  void check(const OutputCheck& check, const std::string& path) const {
    if (!check.equal.empty() && check.equal != "stdout" && check.equal != "replies")
      fail(path + ".equal", "equal = \"" + check.equal + "\" is not known",
           "write \"stdout\", or of a service \"replies\"");
    if (!check.match.empty()) {
      const RE2 pattern(check.match, RE2::Quiet);
      if (!pattern.ok())
        fail(path + ".match", "match is not a regular expression: " + pattern.error(),
             "see the RE2 syntax; in TOML, single quotes keep backslashes");
    }
    if (!check.equal.empty() && !check.file.empty())
      fail(path, "both equal and file say what the answer must be", "leave one of them out");
    if (check.tolerance != 0 && check.equal.empty() && check.file.empty())
      fail(path + ".tolerance", "a tolerance, but nothing to be near to",
           "say equal = \"stdout\" or file = \"…\"");
    if (!(check.tolerance >= 0 && check.tolerance < 1))
      fail(path + ".tolerance", "a tolerance must be from 0 to below 1", "write it like 1e-6, or \"0.1 %\"");
    if (check.exit_ok.empty())
      fail(path + ".exit_ok", "no exit status would be a success", "list at least one, usually 0");
    for (const int status : check.exit_ok)
      if (status < 0 || status > 255)
        fail(path + ".exit_ok", std::to_string(status) + " is not an exit status", "use 0 to 255");
  }

  void control(const Control& control, const std::string& path) const {
    for (const int core : control.cores)
      if (core < 0 || core >= 1024)
        fail(path + ".cores", std::to_string(core) + " is not the number of a core", "they count from 0");
    for (const auto* step : {&control.before, &control.after})
      if (!step->run.empty() && !(step->timeout > 0))
        fail(path, "a timeout must be longer than nothing", "write it like \"30 s\"");
    const bool abreast = plan_.rounds.mode == Way::abreast;
    if (abreast || plan_.rounds.mode == Way::slices) {
      const char* refused = abreast && control.nice != 0          ? "nice"
                            : abreast && control.memory_limit > 0 ? "memory_limit"
                            : !control.cold.empty()               ? "cold"
                            : abreast && control.cores.size() > 1 ? "cores, more than one,"
                                                                  : nullptr;
      if (refused != nullptr)
        fail(path,
             std::string(refused) + " can't be had for candidates that run " + way_text(plan_.rounds.mode),
             "leave it out, or use mode = \"turns\"");
    }
  }

  void rounds_and_margin() const {
    const auto& rounds = plan_.rounds;
    if (rounds.max < fewest_rounds)
      fail("rounds.max", std::to_string(rounds.max) + " rounds can't decide anything at the 5 % level",
           "the smallest number that can is " + std::to_string(fewest_rounds) +
               ", one more where both times are watched");
    if (rounds.min < 1) fail("rounds.min", "fewer than one round", "use a positive number");
    if (rounds.min > rounds.max)
      fail("rounds.min", "the least number of rounds is above the most", "lower min or raise max");
    if (rounds.max > 100000) fail("rounds.max", "more than 100000 rounds", "use fewer");
    if (rounds.budget && !(*rounds.budget > 0))
      fail("rounds.budget", "a budget of nothing", "write it like \"10 min\"");
    if (rounds.precise && !(*rounds.precise > 0 && *rounds.precise < 1))
      fail("rounds.precise", "the precision must be above 0 % and below 100 %", "write it like \"2 %\"");
    if (!(plan_.margin > 0 && plan_.margin < 10))
      fail("plan.margin", "the margin must be above 0 % and below 1000 %", "write it like \"1 %\"");
  }

  /// Expands every command, one workload at a time, so that an unknown placeholder is reported with its
  /// place.
  void placeholders() const {
    std::size_t comparisons = 0;
    for (std::size_t i = 0; i < plan_.workloads.size(); ++i) {
      std::size_t at_once = 0;
      Plan one = plan_;
      one.workloads = {plan_.workloads[i]};
      try {
        const auto cells = expand_cells(one);
        comparisons += comparisons_of(cells, one).size();
        at_once = most_at_once(one, cells);
      } catch (const Error& error) {
        fail(entry("workload", i) + ".run", error.problem(), error.remedy());
      }
      const auto mode = plan_.rounds.mode;
      if ((mode == Way::abreast || mode == Way::slices) && at_once > most_programs_at_once)
        fail("rounds.mode",
             std::to_string(at_once) + " programs can't run " + way_text(mode) +
                 (plan_.rounds.twin ? ", twins included" : ""),
             "up to " + std::to_string(most_programs_at_once) +
                 " can; compare fewer, or use mode = \"turns\"");
    }
    if (comparisons == 0)
      fail("workload", "no candidate is left to compare with the baseline", "look at skip and with");
  }

  /// Programs that run at once are those of one workload and setting, with the twin of each baseline.
  static std::size_t most_at_once(const Plan& plan, const PlannedCells& cells) {
    std::map<std::string, std::size_t> at_once;
    for (const auto& planned : cells)
      if (planned.state.is_ok()) ++at_once[planned.cell.setting.text()];
    std::size_t most = 0;
    for (const auto& [setting, programs] : at_once) most = std::max(most, programs);
    return most + (plan.rounds.twin ? baselines_of(plan).size() : 0);
  }

  const Plan& plan_;
  const PlanErrors& refusal_;
  std::vector<std::string> candidate_names_;
};

}  // namespace

void validate(const Plan& plan, const Places& places) { Validator(plan, PlanErrors(places)).run(); }

}  // namespace assay::plan
