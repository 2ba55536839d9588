#include "assay/plan/read.hpp"

#include <algorithm>
#include <array>
#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <iterator>

#include "assay/model/error.hpp"
#include "assay/model/quantity.hpp"
#include "assay/plan/near_miss.hpp"
#include "assay/plan/toml_reader.hpp"
#include "assay/plan/validate.hpp"

namespace assay::plan {
namespace {

class PlanReader : public TomlReader {
 public:
  using TomlReader::TomlReader;

  Plan read(const toml::table& root) {
    keys(root, "", {"plan", "rounds", "control", "factor", "candidate", "workload", "metric"});
    if (const auto* table = section(root, "plan")) head(*table);
    if (const auto* table = section(root, "rounds")) rounds(*table);
    if (const auto* table = section(root, "control")) {
      keys(*table, "control", control_keys());
      control(*table, "control", everywhere_);
    }
    each(root, "factor", [&](const toml::table& t, const std::string& path) { factor(t, path); });
    each(root, "candidate", [&](const toml::table& t, const std::string& path) { candidate(t, path); });
    each(root, "workload", [&](const toml::table& t, const std::string& path) { workload(t, path); });
    each(root, "metric", [&](const toml::table& t, const std::string& path) { metric(t, path); });
    for (const auto* kind : {"candidate", "workload", "factor"}) places_.try_emplace(kind, name_);
    return plan_;
  }

  const Places& places() const { return places_; }

 private:
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
    keys(table, "rounds", {"min", "max", "budget", "mode"});
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

  void candidate(const toml::table& table, const std::string& path) {
    keys(table, path, {"name", "exe", "run", "with"});
    PlannedCandidate candidate{
        .name = text(table, path, "name"), .exe = text(table, path, "exe"), .run = texts(table, path, "run")};
    if (const auto* node = table.get("with")) {
      if (!node->is_table()) wrong_type(*node, path + ".with", "a table: { cache = \"on\" }");
      for (const auto& [key, value] : *node->as_table())
        candidate.with[std::string(key.str())] = level(value, path + ".with." + std::string(key.str()));
    }
    plan_.candidates.push_back(std::move(candidate));
  }

  void workload(const toml::table& table, const std::string& path) {
    auto known = control_keys();
    known.insert(known.begin(), {"name", "run", "stdin", "check", "skip", "timeout", "work"});
    keys(table, path, known);
    PlannedWorkload workload{.name = text(table, path, "name"),
                             .run = texts(table, path, "run"),
                             .stdin_file = text(table, path, "stdin")};
    if (table.contains("skip")) workload.skip = texts(table, path, "skip");
    if (table.contains("timeout")) workload.timeout = parsed(table, path, "timeout", parse_duration);
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
         {"name", "from", "pattern", "json", "unit", "prefer", "pick", "margin", "exact", "workloads"});
    PlannedMetric metric{.from = text(table, path, "from"),
                         .pattern = text(table, path, "pattern"),
                         .json = text(table, path, "json"),
                         .workloads = texts(table, path, "workloads")};
    const auto name = text(table, path, "name");
    if (const auto* own = find_process_metric(name)) metric.metric = *own;
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
    plan_.metrics.push_back(std::move(metric));
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
    keys(table, path, {"equal", "match", "exit_ok"});
    check.equal = text(table, path, "equal");
    check.match = text(table, path, "match");
    if (const auto* node = table.get("exit_ok")) {
      if (!node->is_array()) wrong_type(*node, path + ".exit_ok", "a list of exit statuses: [0, 1]");
      check.exit_ok.clear();
      for (const auto& item : *node->as_array())
        check.exit_ok.push_back(whole(item, "an entry of " + path + ".exit_ok"));
    }
  }

  Plan plan_;
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

Plan read(const std::string& text, const std::string& name, const std::string& folder) {
  const auto root = parse(text, name);
  PlanReader reader(name);
  Plan plan = reader.read(root);
  plan.folder = folder;
  validate(plan, reader.places());
  return plan;
}

Plan read_file(const std::string& path) {
  std::error_code unreadable;
  if (!std::filesystem::exists(path, unreadable))
    throw Error("there is no such plan", path,
                "name a plan file, or compare two commands at once with assay duel");
  if (std::filesystem::is_directory(path, unreadable)) throw Error("this is a folder, not a plan file", path);
  std::ifstream file(path, std::ios::binary);
  std::string text{std::istreambuf_iterator<char>(file), {}};
  if (!file && !file.eof()) throw Error("can't be read", path, "look at its permissions");
  const auto folder = std::filesystem::absolute(path).parent_path().lexically_normal().string();
  return read(text, path, folder);
}

}  // namespace assay::plan
