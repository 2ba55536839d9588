#include <toml++/toml.h>

#include <sstream>
#include <string>
#include <vector>

#include "assay/model/quantity.hpp"
#include "assay/plan/read.hpp"

namespace assay::plan {
namespace {

toml::array list(const std::vector<std::string>& texts) {
  toml::array array;
  for (const auto& text : texts) array.push_back(text);
  return array;
}

template <class Put>
void put_level(const Level& level, Put&& put) {
  std::visit([&](const auto& value) { put(value); }, level);
}

toml::table head(const Plan& plan) {
  toml::table table;
  if (!plan.title.empty()) table.insert("title", plan.title);
  if (!plan.baseline.empty()) table.insert("baseline", plan.baseline);
  table.insert("margin", share_text(plan.margin));
  if (!plan.watch.empty()) table.insert("watch", list(plan.watch));
  if (plan.seed) table.insert("seed", static_cast<std::int64_t>(*plan.seed));
  return table;
}

toml::table rounds(const PlannedRounds& rounds) {
  toml::table table;
  table.insert("min", rounds.min);
  table.insert("max", rounds.max);
  if (rounds.budget) table.insert("budget", duration_text(*rounds.budget));
  if (rounds.mode == PlannedRounds::Mode::abreast) table.insert("mode", "abreast");
  table.insert("twin", rounds.twin);
  return table;
}

toml::table factor(const Factor& factor) {
  toml::table table;
  table.insert("name", factor.name);
  toml::array levels;
  for (const auto& level : factor.levels)
    put_level(level, [&](const auto& value) { levels.push_back(value); });
  table.insert("levels", levels);
  if (factor.role != Factor::Role::option)
    table.insert("role", factor.role == Factor::Role::size ? "size" : "threads");
  return table;
}

toml::table candidate(const PlannedCandidate& candidate) {
  toml::table table;
  table.insert("name", candidate.name);
  if (!candidate.exe.empty()) table.insert("exe", candidate.exe);
  if (!candidate.run.empty()) table.insert("run", list(candidate.run));
  if (!candidate.commit.empty()) table.insert("commits", list({candidate.commit}));
  if (!candidate.source.empty()) table.insert("source", candidate.source);
  if (!candidate.build.steps.empty()) {
    toml::array steps;
    for (const auto& step : candidate.build.steps) steps.push_back(list(step));
    table.insert("steps", steps);
    table.insert("timeout", duration_text(candidate.build.timeout));
  }
  if (!candidate.identify.empty()) table.insert("identify", list(candidate.identify));
  if (!candidate.against.empty()) table.insert("against", candidate.against);
  toml::table with;
  for (const auto& [name, level] : candidate.with)
    put_level(level, [&, &key = name](const auto& value) { with.insert(key, value); });
  if (!with.empty()) {
    with.is_inline(true);
    table.insert("with", with);
  }
  return table;
}

void side_step(toml::table& into, const char* key, const SideStep& step) {
  if (step.run.empty()) return;
  toml::table table{{"run", list(step.run)}, {"timeout", duration_text(step.timeout)}};
  table.is_inline(true);
  into.insert(key, table);
}

void control(toml::table& into, const Control& control) {
  if (!control.cores.empty()) {
    toml::array cores;
    for (const int core : control.cores) cores.push_back(core);
    into.insert("cores", cores);
  }
  if (control.nice != 0) into.insert("nice", control.nice);
  if (!control.cold.empty()) into.insert("cold", list(control.cold));
  side_step(into, "before", control.before);
  side_step(into, "after", control.after);
  if (control.fresh) into.insert("fresh", true);
  if (control.environment) into.insert("environment", list(*control.environment));
  if (control.memory_limit > 0) into.insert("memory_limit", bytes_text(control.memory_limit));
  if (!control.keep_output) into.insert("keep_output", false);
}

toml::table metric(const PlannedMetric& planned) {
  toml::table table;
  table.insert("name", planned.metric.name);
  if (!planned.from.empty()) {
    table.insert("from", planned.from);
    if (!planned.pattern.empty()) table.insert("pattern", planned.pattern);
    if (!planned.json.empty()) table.insert("json", planned.json);
    table.insert("pick", to_string(planned.pick));
  }
  table.insert("unit", planned.metric.unit);
  const auto prefer = planned.metric.prefer;
  table.insert("prefer", prefer == Prefer::lower ? "lower" : prefer == Prefer::higher ? "higher" : "neither");
  if (planned.metric.exact) table.insert("exact", true);
  if (planned.margin) table.insert("margin", share_text(*planned.margin));
  if (planned.ceiling) table.insert("ceiling", *planned.ceiling);
  if (planned.require) table.insert("require", planned.require->text);
  if (!planned.workloads.empty()) table.insert("workloads", list(planned.workloads));
  return table;
}

toml::table workload(const PlannedWorkload& workload) {
  toml::table table;
  table.insert("name", workload.name);
  if (!workload.run.empty()) table.insert("run", list(workload.run));
  if (!workload.stdin_file.empty()) table.insert("stdin", workload.stdin_file);
  if (!workload.skip.empty()) table.insert("skip", list(workload.skip));
  table.insert("timeout", duration_text(workload.timeout));
  if (workload.weight != 1) table.insert("weight", workload.weight);
  control(table, workload.control);
  if (!workload.work.amount.empty()) {
    toml::table work{{"amount", workload.work.amount}, {"unit", workload.work.unit}};
    work.is_inline(true);
    table.insert("work", work);
  }
  toml::table check;
  if (!workload.check.equal.empty()) check.insert("equal", workload.check.equal);
  if (!workload.check.match.empty()) check.insert("match", workload.check.match);
  if (!workload.check.file.empty()) check.insert("file", workload.check.file);
  if (workload.check.tolerance > 0) check.insert("tolerance", workload.check.tolerance);
  if (workload.check.min_size > 0) check.insert("min_size", bytes_text(workload.check.min_size));
  if (!workload.check.program.empty()) check.insert("program", list(workload.check.program));
  if (workload.check.exit_ok != std::vector{0}) {
    toml::array statuses;
    for (const int status : workload.check.exit_ok) statuses.push_back(status);
    check.insert("exit_ok", statuses);
  }
  if (!check.empty()) {
    check.is_inline(true);
    table.insert("check", check);
  }
  return table;
}

}  // namespace

std::string definition_of(const PlannedWorkload& planned) {
  auto nameless = planned;
  nameless.name.clear();
  nameless.weight = 1;
  std::ostringstream out;
  out << workload(nameless);
  return out.str();
}

std::string to_toml(const Plan& plan) {
  toml::table root;
  root.insert("plan", head(plan));
  root.insert("rounds", rounds(plan.rounds));
  toml::array factors, candidates, workloads;
  for (const auto& f : plan.factors) factors.push_back(factor(f));
  for (const auto& c : plan.candidates) candidates.push_back(candidate(c));
  for (const auto& w : plan.workloads) workloads.push_back(workload(w));
  if (!factors.empty()) root.insert("factor", factors);
  root.insert("candidate", candidates);
  root.insert("workload", workloads);
  toml::array metrics;
  for (const auto& m : plan.metrics) metrics.push_back(metric(m));
  if (!metrics.empty()) root.insert("metric", metrics);
  if (plan.gate != Gate{}) {
    toml::table gate{{"undecided", plan.gate.undecided_passes ? "pass" : "fail"}};
    if (plan.gate.allow > 0) gate.insert("allow", share_text(plan.gate.allow));
    root.insert("gate", gate);
  }
  std::ostringstream out;
  out << root << "\n";
  return out.str();
}

}  // namespace assay::plan
