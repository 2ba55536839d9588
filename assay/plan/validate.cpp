#include "assay/plan/validate.hpp"

#include <re2/re2.h>

#include <algorithm>
#include <set>
#include <vector>

#include "assay/model/error.hpp"
#include "assay/model/metric.hpp"
#include "assay/plan/matrix.hpp"
#include "assay/plan/near_miss.hpp"
#include "assay/plan/placeholders.hpp"

namespace assay::plan {
namespace {

class Validator {
 public:
  Validator(const Plan& plan, const Places& places) : plan_(plan), places_(places) {}

  void run() {
    candidates();
    factors();
    workloads();
    rounds_and_margin();
    watched();
    placeholders();
  }

 private:
  [[noreturn]] void fail(const std::string& path, const std::string& problem,
                         const std::string& remedy) const {
    auto known = places_.find(path);
    for (auto outer = path; known == places_.end() && outer.find('.') != std::string::npos;) {
      outer.erase(outer.rfind('.'));
      known = places_.find(outer);
    }
    throw Error(problem, known == places_.end() ? path : known->second, remedy);
  }

  static std::string entry(const std::string& kind, std::size_t i) {
    return kind + "[" + std::to_string(i) + "]";
  }

  /// Names of one kind must be there and differ.
  template <class Things>
  std::vector<std::string> names(const Things& things, const std::string& kind) const {
    std::vector<std::string> all;
    for (std::size_t i = 0; i < things.size(); ++i) {
      const auto path = entry(kind, i) + ".name";
      if (things[i].name.empty())
        fail(path, "a " + kind + " without a name", "give it one with name = \"…\"");
      if (std::ranges::count(all, things[i].name) > 0)
        fail(path, "two " + kind + "s are named \"" + things[i].name + "\"", "give each its own name");
      all.push_back(things[i].name);
    }
    return all;
  }

  void candidates() {
    candidate_names_ = names(plan_.candidates, "candidate");
    if (plan_.candidates.size() < 2)
      fail("candidate",
           plan_.candidates.empty()
               ? "nothing to compare: there is no candidate"
               : "nothing to compare: \"" + candidate_names_[0] + "\" is the only candidate",
           "add a [[candidate]], at least two are needed");
    if (!plan_.baseline.empty() && std::ranges::count(candidate_names_, plan_.baseline) == 0)
      fail("plan.baseline", "baseline \"" + plan_.baseline + "\" is not among the candidates",
           meant_or_known(plan_.baseline, candidate_names_));
    for (std::size_t i = 0; i < plan_.candidates.size(); ++i) {
      const auto& candidate = plan_.candidates[i];
      if (candidate.exe.empty() && candidate.run.empty())
        fail(entry("candidate", i), "candidate \"" + candidate.name + "\" has no program",
             "give it exe = \"…\"");
      for (const auto& [name, level] : candidate.with) {
        if (std::ranges::count(reserved_placeholders(), name) > 0)
          fail(entry("candidate", i) + ".with", "\"" + name + "\" is a reserved placeholder",
               "choose another name");
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

  void factors() {
    names(plan_.factors, "factor");
    for (std::size_t i = 0; i < plan_.factors.size(); ++i) {
      const auto& factor = plan_.factors[i];
      if (std::ranges::count(reserved_placeholders(), factor.name) > 0)
        fail(entry("factor", i) + ".name", "\"" + factor.name + "\" is a reserved placeholder",
             "choose another name");
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

  void workloads() {
    names(plan_.workloads, "workload");
    if (plan_.workloads.empty())
      fail("workload", "there is no workload", "add a [[workload]] that says what every candidate runs");
    for (std::size_t i = 0; i < plan_.workloads.size(); ++i) {
      const auto& workload = plan_.workloads[i];
      if (workload.run.empty())
        for (const auto& candidate : plan_.candidates)
          if (candidate.run.empty())
            fail(entry("workload", i), "workload \"" + workload.name + "\" has no command",
                 "give it run = [\"${exe}\", …]");
      for (const auto& name : workload.skip)
        if (std::ranges::count(candidate_names_, name) == 0)
          fail(entry("workload", i) + ".skip", "skipped \"" + name + "\" is not among the candidates",
               meant_or_known(name, candidate_names_));
      if (!(workload.timeout > 0))
        fail(entry("workload", i) + ".timeout", "a timeout must be longer than nothing",
             "write it like \"30 s\"");
      check(workload.check, entry("workload", i) + ".check");
    }
  }

  void check(const Check& check, const std::string& path) const {
    if (!check.equal.empty() && check.equal != "stdout")
      fail(path + ".equal", "equal = \"" + check.equal + "\" is not known", "the only choice is \"stdout\"");
    if (!check.match.empty()) {
      const RE2 pattern(check.match, RE2::Quiet);
      if (!pattern.ok())
        fail(path + ".match", "match is not a regular expression: " + pattern.error(),
             "see the RE2 syntax; in TOML, single quotes keep backslashes");
    }
    if (check.exit_ok.empty())
      fail(path + ".exit_ok", "no exit status would be a success", "list at least one, usually 0");
    for (const int status : check.exit_ok)
      if (status < 0 || status > 255)
        fail(path + ".exit_ok", std::to_string(status) + " is not an exit status", "use 0 to 255");
  }

  void rounds_and_margin() const {
    const auto& rounds = plan_.rounds;
    if (rounds.max < fewest_rounds)
      fail("rounds.max", std::to_string(rounds.max) + " rounds can't decide anything at the 5 % level",
           "the smallest number that can is " + std::to_string(fewest_rounds));
    if (rounds.min < 1) fail("rounds.min", "fewer than one round", "use a positive number");
    if (rounds.min > rounds.max)
      fail("rounds.min", "the least number of rounds is above the most", "lower min or raise max");
    if (rounds.max > 100000) fail("rounds.max", "more than 100000 rounds", "use fewer");
    if (rounds.budget && !(*rounds.budget > 0))
      fail("rounds.budget", "a budget of nothing", "write it like \"10 min\"");
    if (!(plan_.margin > 0 && plan_.margin < 10))
      fail("plan.margin", "the margin must be above 0 % and below 1000 %", "write it like \"1 %\"");
  }

  void watched() const {
    for (const auto& name : plan_.watch) {
      if (const auto* metric = find_process_metric(name)) {
        if (metric->prefer == Prefer::neither)
          fail("plan.watch", "\"" + name + "\" can't be watched: neither more nor less of it is better",
               "watch what it stands for");
        continue;
      }
      std::vector<std::string> known;
      for (const auto& metric : process_metrics())
        if (metric.prefer != Prefer::neither) known.push_back(metric.name);
      fail("plan.watch", "unknown metric \"" + name + "\"", meant_or_known(name, known));
    }
  }

  /// Expands every command, one workload at a time, so that an unknown placeholder is told with its place.
  void placeholders() const {
    std::size_t cells = 0;
    for (std::size_t i = 0; i < plan_.workloads.size(); ++i) {
      Plan one = plan_;
      one.workloads = {plan_.workloads[i]};
      try {
        const auto expanded = expand_cells(one);
        cells += contrasts_of(expanded, one).size();
      } catch (const Error& error) {
        fail(entry("workload", i) + ".run", error.problem(), error.remedy());
      }
    }
    if (cells == 0)
      fail("workload", "no candidate is left to compare with the baseline", "look at skip and with");
  }

  const Plan& plan_;
  const Places& places_;
  std::vector<std::string> candidate_names_;
};

}  // namespace

void validate(const Plan& plan, const Places& places) { Validator(plan, places).run(); }

}  // namespace assay::plan
