#include "assay/plan/read.hpp"

#include <algorithm>
#include <array>
#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <iterator>

#include "assay/metrics/catalogue.hpp"
#include "assay/model/error.hpp"
#include "assay/model/quantity.hpp"
#include "assay/model/requirement.hpp"
#include "assay/plan/candidate_reader.hpp"
#include "assay/plan/near_miss.hpp"
#include "assay/plan/toml_reader.hpp"
#include "assay/plan/validate.hpp"

namespace assay::plan {
namespace {

class PlanReader : public CandidateReader {
 public:
  using CandidateReader::CandidateReader;

  Plan read(const toml::table& root, const std::vector<std::string>& commits) {
    keys(root, "",
         {"plan", "rounds", "control", "build", "factor", "candidate", "workload", "metric", "gate"});
    if (const auto* table = section(root, "plan")) head(*table);
    if (const auto* table = section(root, "rounds")) rounds(*table);
    if (const auto* table = section(root, "control")) {
      keys(*table, "control", control_keys());
      control(*table, "control", everywhere_);
    }
    each(root, "factor", [&](const toml::table& t, const std::string& path) { factor(t, path); });
    if (const auto* table = section(root, "build")) build_defaults(*table);
    each(root, "candidate", [&](const toml::table& t, const std::string& path) {
      for (auto& one : candidates(t, path)) {
        places_[entry(plan_.candidates.size())] = places_[path];
        for (const char* key : {"name", "with", "against", "commits"})
          if (const auto at = places_.find(path + "." + key); at != places_.end())
            places_[entry(plan_.candidates.size()) + "." + key] = at->second;
        plan_.candidates.push_back(std::move(one));
      }
    });
    each(root, "workload", [&](const toml::table& t, const std::string& path) { workload(t, path); });
    each(root, "metric", [&](const toml::table& t, const std::string& path) { metric(t, path); });
    if (const auto* table = section(root, "gate")) gate(*table);
    if (!commits.empty()) take_commits(commits);
    for (const auto* kind : {"candidate", "workload", "factor"}) places_.try_emplace(kind, name_);
    return plan_;
  }

  const Places& places() const { return places_; }

 private:
  static std::string entry(std::size_t place) { return "candidate[" + std::to_string(place) + "]"; }

  /// Puts commits in place of the file's candidates; the first is the baseline.
  void take_commits(const std::vector<std::string>& commits) {
    std::vector<PlannedCandidate> taken;
    for (const auto& commit : commits) taken.push_back(from_commit(commit));
    if (taken.front().build.steps.empty())
      throw Error("the plan does not say how a commit is built", name_,
                  "give it a [build] with steps and exe, see docs/plan-file.md");
    std::erase_if(places_, [](const auto& place) { return place.first.starts_with("candidate["); });
    for (auto& workload : plan_.workloads)
      std::erase_if(workload.skip, [&](const std::string& name) {
        return std::ranges::count(plan_.candidates, name, &PlannedCandidate::name) > 0;
      });
    plan_.baseline.clear();
    plan_.candidates = std::move(taken);
  }

  void head(const toml::table& table) {
    keys(table, "plan", {"title", "baseline", "margin", "watch", "seed"});
    plan_.title = text(table, "plan", "title");
    plan_.baseline = text(table, "plan", "baseline");
    plan_.watch = texts(table, "plan", "watch");
    if (table.contains("margin")) plan_.margin = parsed(table, "plan", "margin", parse_share);
    if (const auto* node = table.get("seed")) {
      if (!node->is_integer() || node->as_integer()->get() < 0)
        wrong_type(*node, "plan.seed", "a whole number from 0 on");
      plan_.seed = static_cast<std::uint64_t>(node->as_integer()->get());
    }
  }

  void rounds(const toml::table& table) {
    keys(table, "rounds", {"min", "max", "budget", "mode", "twin"});
    flag(table, "rounds", "twin", plan_.rounds.twin);
    if (table.contains("max")) plan_.rounds.max = count(table, "rounds", "max");
    plan_.rounds.min = std::min(plan_.rounds.min, plan_.rounds.max);
    if (table.contains("min")) {
      plan_.rounds.min = count(table, "rounds", "min");
      if (!table.contains("max")) plan_.rounds.max = std::max(plan_.rounds.max, plan_.rounds.min);
    }
    if (table.contains("budget")) plan_.rounds.budget = parsed(table, "rounds", "budget", parse_duration);
    if (table.contains("mode"))
      plan_.rounds.mode = choice(table, "rounds", "mode", {"turns", "abreast"}) == 0
                              ? PlannedRounds::Mode::turns
                              : PlannedRounds::Mode::abreast;
  }

  void factor(const toml::table& table, const std::string& path) {
    keys(table, path, {"name", "levels", "role"});
    Factor factor{.name = text(table, path, "name")};
    if (const auto* node = table.get("levels")) {
      if (!node->is_array()) wrong_type(*node, path + ".levels", "a list");
      for (const auto& item : *node->as_array())
        factor.levels.push_back(level(item, "an entry of " + path + ".levels"));
    }
    if (table.contains("role")) {
      constexpr std::array roles = {Factor::Role::size, Factor::Role::threads, Factor::Role::option};
      factor.role = roles.at(choice(table, path, "role", {"size", "threads", "option"}));
    }
    plan_.factors.push_back(std::move(factor));
  }

  void workload(const toml::table& table, const std::string& path) {
    auto known = control_keys();
    known.insert(known.begin(), {"name", "run", "stdin", "check", "skip", "timeout", "weight", "work"});
    keys(table, path, known);
    PlannedWorkload workload{.name = text(table, path, "name"),
                             .run = texts(table, path, "run"),
                             .stdin_file = text(table, path, "stdin")};
    if (table.contains("skip")) workload.skip = texts(table, path, "skip");
    if (table.contains("timeout")) workload.timeout = parsed(table, path, "timeout", parse_duration);
    if (const auto* node = table.get("weight")) {
      if (!node->is_number()) wrong_type(*node, path + ".weight", "a number above 0");
      workload.weight = *node->value<double>();
    }
    if (const auto* node = table.get("check")) {
      if (!node->is_table()) wrong_type(*node, path + ".check", "a table: { equal = \"stdout\" }");
      check(*node->as_table(), path + ".check", workload.check);
    }
    workload.control = everywhere_;
    control(table, path, workload.control);
    if (const auto* node = table.get("work")) {
      if (!node->is_table())
        wrong_type(*node, path + ".work", "a table: { amount = 500, unit = \"routes\" }");
      work(*node->as_table(), path + ".work", workload.work);
    }
    plan_.workloads.push_back(std::move(workload));
  }

  void work(const toml::table& table, const std::string& path, Work& work) {
    keys(table, path, {"amount", "unit"});
    if (const auto* node = table.get("amount")) work.amount = to_string(level(*node, path + ".amount"));
    work.unit = text(table, path, "unit");
    if (work.amount.empty() || work.unit.empty())
      fail(table, path + " is incomplete", "write it like { amount = 500, unit = \"routes\" }");
  }

  static std::vector<std::string> control_keys() {
    return {"cores", "nice",        "cold",         "before",     "after",
            "fresh", "environment", "memory_limit", "keep_output"};
  }

  /// What is given takes the place of what was there.
  void control(const toml::table& table, const std::string& path, Control& control) {
    if (const auto* node = table.get("cores")) {
      if (!node->is_array()) wrong_type(*node, path + ".cores", "a list of core numbers: [0, 1]");
      control.cores.clear();
      for (const auto& item : *node->as_array())
        control.cores.push_back(whole(item, "an entry of " + path + ".cores"));
    }
    if (const auto* node = table.get("nice")) {
      if (!node->is_integer() || std::abs(node->as_integer()->get()) > 40)
        wrong_type(*node, path + ".nice", "a whole number, like 5");
      control.nice = static_cast<int>(node->as_integer()->get());
    }
    if (table.contains("cold")) control.cold = texts(table, path, "cold");
    side_step(table, path, "before", control.before);
    side_step(table, path, "after", control.after);
    flag(table, path, "fresh", control.fresh);
    if (const auto* node = table.get("environment"))
      control.environment = node->is_array() && node->as_array()->empty() ? std::vector<std::string>{}
                                                                          : texts(table, path, "environment");
    if (table.contains("memory_limit"))
      control.memory_limit = parsed(table, path, "memory_limit", parse_bytes);
    flag(table, path, "keep_output", control.keep_output);
  }

  void side_step(const toml::table& table, const std::string& path, const std::string& key, SideStep& step) {
    const auto* node = table.get(key);
    if (node == nullptr) return;
    if (node->is_array()) {
      step = {.run = texts(table, path, key)};
      return;
    }
    if (!node->is_table())
      wrong_type(*node, path + "." + key, "an argument list, or { run = [\"…\"], timeout = \"30 s\" }");
    const auto& inner = *node->as_table();
    keys(inner, path + "." + key, {"run", "timeout"});
    step = {.run = texts(inner, path + "." + key, "run")};
    if (step.run.empty()) fail(*node, path + "." + key + " has no command", "give it run = [\"…\"]");
    if (inner.contains("timeout")) step.timeout = parsed(inner, path + "." + key, "timeout", parse_duration);
  }

  void metric(const toml::table& table, const std::string& path) {
    keys(table, path,
         {"name", "from", "pattern", "json", "unit", "prefer", "pick", "margin", "exact", "workloads",
          "ceiling", "require"});
    PlannedMetric metric{.from = text(table, path, "from"),
                         .pattern = text(table, path, "pattern"),
                         .json = text(table, path, "json"),
                         .workloads = texts(table, path, "workloads")};
    const auto name = text(table, path, "name");
    if (const auto* own = metrics::find_row(name); own != nullptr && own->of_programs)
      metric.metric = own->metric;
    metric.metric.name = name;
    if (table.contains("unit")) metric.metric.unit = text(table, path, "unit");
    if (table.contains("prefer")) {
      constexpr std::array directions = {Prefer::lower, Prefer::higher, Prefer::neither};
      metric.metric.prefer = directions.at(choice(table, path, "prefer", {"lower", "higher", "neither"}));
    }
    flag(table, path, "exact", metric.metric.exact);
    if (table.contains("pick"))
      metric.pick = parsed(table, path, "pick", parse_pick, "text in quotes, like \"median\"");
    if (table.contains("margin")) metric.margin = parsed(table, path, "margin", parse_share);
    if (const auto* node = table.get("ceiling")) {
      if (!node->is_number()) wrong_type(*node, path + ".ceiling", "a number in the metric's unit");
      metric.ceiling = node->value<double>();
    }
    if (table.contains("require"))
      metric.require = parsed(table, path, "require", parse_requirement, "text in quotes, like \">= 250\"");
    plan_.metrics.push_back(std::move(metric));
  }

  void gate(const toml::table& table) {
    keys(table, "gate", {"allow", "undecided"});
    if (table.contains("allow")) plan_.gate.allow = parsed(table, "gate", "allow", parse_share);
    if (table.contains("undecided"))
      plan_.gate.undecided_passes = choice(table, "gate", "undecided", {"pass", "fail"}) == 0;
  }

  /// The place of a word among those that are understood.
  std::size_t choice(const toml::table& table, const std::string& path, const std::string& key,
                     const std::vector<std::string>& known) {
    const auto word = text(table, path, key);
    const auto found = std::ranges::find(known, word);
    if (found == known.end())
      fail(*table.get(key), "unknown " + key + " \"" + printable(word) + "\"", meant_or_known(word, known));
    return static_cast<std::size_t>(found - known.begin());
  }

  void check(const toml::table& table, const std::string& path, Check& check) {
    keys(table, path, {"equal", "match", "exit_ok", "file", "tolerance", "min_size", "program"});
    check.file = text(table, path, "file");
    if (const auto* node = table.get("tolerance"))
      check.tolerance = node->is_floating_point() ? node->as_floating_point()->get()
                                                  : parsed(table, path, "tolerance", parse_share,
                                                           "a share of the number: 1e-6, or \"0.1 %\"");
    if (table.contains("min_size")) check.min_size = parsed(table, path, "min_size", parse_bytes);
    check.program = texts(table, path, "program");
    check.equal = text(table, path, "equal");
    check.match = text(table, path, "match");
    if (const auto* node = table.get("exit_ok")) {
      if (!node->is_array()) wrong_type(*node, path + ".exit_ok", "a list of exit statuses: [0, 1]");
      check.exit_ok.clear();
      for (const auto& item : *node->as_array())
        check.exit_ok.push_back(whole(item, "an entry of " + path + ".exit_ok"));
    }
  }

  Plan plan_{.rounds = {.twin = true}};
  Control everywhere_;
};

toml::table parse(const std::string& text, const std::string& name) {
  if (text.find('\0') != std::string::npos)
    throw Error("this is not a plan: it holds binary data", name, "a plan is a text file in TOML");
  try {
    return toml::parse(text, name);
  } catch (const toml::parse_error& error) {
    const auto& at = error.source().begin;
    throw Error(printable(std::string(error.description())),
                name + ":" + std::to_string(at.line) + ":" + std::to_string(at.column),
                "a plan is a text file in TOML");
  }
}

}  // namespace

Plan read(const std::string& text, const std::string& name, const std::string& folder,
          const std::vector<std::string>& commits) {
  const auto root = parse(text, name);
  PlanReader reader(name);
  Plan plan = reader.read(root, commits);
  plan.folder = folder;
  validate(plan, reader.places());
  return plan;
}

Plan read_file(const std::string& path, const std::vector<std::string>& commits) {
  std::error_code unreadable;
  if (!std::filesystem::exists(path, unreadable))
    throw Error("there is no such plan", path,
                "name a plan file, or compare two commands at once with assay duel");
  if (std::filesystem::is_directory(path, unreadable)) throw Error("this is a folder, not a plan file", path);
  std::ifstream file(path, std::ios::binary);
  std::string text{std::istreambuf_iterator<char>(file), {}};
  if (!file && !file.eof()) throw Error("can't be read", path, "look at its permissions");
  const auto folder = std::filesystem::absolute(path).parent_path().lexically_normal().string();
  return read(text, path, folder, commits);
}

}  // namespace assay::plan
