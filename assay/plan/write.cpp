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
  toml::table with;
  for (const auto& [name, level] : candidate.with)
    put_level(level, [&, &key = name](const auto& value) { with.insert(key, value); });
  if (!with.empty()) {
    with.is_inline(true);
    table.insert("with", with);
  }
  return table;
}

toml::table workload(const PlannedWorkload& workload) {
  toml::table table;
  table.insert("name", workload.name);
  if (!workload.run.empty()) table.insert("run", list(workload.run));
  if (!workload.stdin_file.empty()) table.insert("stdin", workload.stdin_file);
  if (!workload.skip.empty()) table.insert("skip", list(workload.skip));
  table.insert("timeout", duration_text(workload.timeout));
  toml::table check;
  if (!workload.check.equal.empty()) check.insert("equal", workload.check.equal);
  if (!workload.check.match.empty()) check.insert("match", workload.check.match);
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
  std::ostringstream out;
  out << root << "\n";
  return out.str();
}

}  // namespace assay::plan
