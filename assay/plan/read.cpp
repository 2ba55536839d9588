#include "assay/plan/read.hpp"

#include <toml++/toml.h>

#include <algorithm>
#include <filesystem>
#include <fstream>
#include <initializer_list>
#include <iterator>
#include <limits>

#include "assay/model/error.hpp"
#include "assay/model/quantity.hpp"
#include "assay/plan/near_miss.hpp"
#include "assay/plan/validate.hpp"

namespace assay::plan {
namespace {

std::string kind_of(const toml::node& node) {
  switch (node.type()) {
    case toml::node_type::table:
      return "a table";
    case toml::node_type::array:
      return "a list";
    case toml::node_type::string:
      return "text";
    case toml::node_type::integer:
      return "a whole number";
    case toml::node_type::floating_point:
      return "a number";
    case toml::node_type::boolean:
      return "true or false";
    default:
      return "a date or time";
  }
}

/// Control characters made harmless for messages.
std::string printable(std::string text) {
  std::ranges::replace_if(
      text, [](unsigned char c) { return c < 0x20 || c == 0x7f; }, '?');
  return text;
}

class Reader {
 public:
  explicit Reader(std::string name) : name_(std::move(name)) {}

  Plan read(const toml::table& root) {
    keys(root, "", {"plan", "rounds", "factor", "candidate", "workload"});
    if (const auto* table = section(root, "plan")) head(*table);
    if (const auto* table = section(root, "rounds")) rounds(*table);
    each(root, "factor", [&](const toml::table& t, const std::string& path) { factor(t, path); });
    each(root, "candidate", [&](const toml::table& t, const std::string& path) { candidate(t, path); });
    each(root, "workload", [&](const toml::table& t, const std::string& path) { workload(t, path); });
    for (const auto* kind : {"candidate", "workload", "factor"}) places_.try_emplace(kind, name_);
    return plan_;
  }

  const Places& places() const { return places_; }

 private:
  std::string place(const toml::source_region& region) const {
    return name_ + ":" + std::to_string(region.begin.line) + ":" + std::to_string(region.begin.column);
  }

  [[noreturn]] void fail(const toml::node& at, const std::string& problem, const std::string& remedy) const {
    throw Error(problem, place(at.source()), remedy);
  }

  [[noreturn]] void wrong_type(const toml::node& at, const std::string& path,
                               const std::string& expected) const {
    fail(at, path + " is " + kind_of(at), "expected " + expected);
  }

  void keys(const toml::table& table, const std::string& path, const std::vector<std::string>& known) {
    for (const auto& [key, node] : table) {
      const std::string word(key.str());
      if (std::ranges::count(known, word) == 0)
        throw Error("unknown key \"" + printable(word) + "\"" + (path.empty() ? "" : " in " + path),
                    place(key.source()), meant_or_known(word, known));
      places_[path.empty() ? word : path + "." + word] = place(key.source());
    }
  }

  const toml::table* section(const toml::table& root, const std::string& key) {
    const auto* node = root.get(key);
    if (node == nullptr) return nullptr;
    if (!node->is_table()) wrong_type(*node, key, "a table: [" + key + "]");
    return node->as_table();
  }

  template <class Each>
  void each(const toml::table& root, const std::string& key, Each&& read_one) {
    const auto* node = root.get(key);
    if (node == nullptr) return;
    if (node->is_table())
      wrong_type(*node, key, "a list of tables: write [[" + key + "]], with double brackets");
    if (!node->is_array()) wrong_type(*node, key, "a list of tables: [[" + key + "]]");
    std::size_t i = 0;
    for (const auto& item : *node->as_array()) {
      const auto path = key + "[" + std::to_string(i++) + "]";
      if (!item.is_table()) wrong_type(item, path, "a table");
      places_[path] = place(item.source());
      read_one(*item.as_table(), path);
    }
  }

  std::string text(const toml::table& table, const std::string& path, const std::string& key) {
    const auto* node = table.get(key);
    if (node == nullptr) return {};
    if (!node->is_string()) wrong_type(*node, path + "." + key, "text in quotes");
    return clean(*node->as_string());
  }

  std::string clean(const toml::value<std::string>& value) const {
    if (value.get().find('\0') != std::string::npos) fail(value, "text with a NUL character", "take it out");
    return value.get();
  }

  std::vector<std::string> texts(const toml::table& table, const std::string& path, const std::string& key) {
    const auto* node = table.get(key);
    if (node == nullptr) return {};
    if (!node->is_array()) wrong_type(*node, path + "." + key, "a list of texts: [\"…\", \"…\"]");
    std::vector<std::string> list;
    for (const auto& item : *node->as_array()) {
      if (!item.is_string()) wrong_type(item, "an entry of " + path + "." + key, "text in quotes");
      list.push_back(clean(*item.as_string()));
    }
    if (list.empty()) fail(*node, path + "." + key + " is empty", "list at least one, or leave the key out");
    return list;
  }

  template <class Parse>
  double quantity(const toml::table& table, const std::string& path, const std::string& key, Parse&& parse) {
    const auto* node = table.get(key);
    if (!node->is_string()) wrong_type(*node, path + "." + key, "a quantity with its unit, in quotes");
    try {
      return parse(clean(*node->as_string()));
    } catch (const Error& error) {
      fail(*node, path + "." + key + ": " + error.problem(), error.remedy());
    }
  }

  int count(const toml::table& table, const std::string& path, const std::string& key) {
    return whole(*table.get(key), path + "." + key);
  }

  int whole(const toml::node& node, const std::string& path) {
    if (!node.is_integer()) wrong_type(node, path, "a whole number");
    const auto value = node.as_integer()->get();
    if (value < 0 || value > std::numeric_limits<int>::max())
      fail(node, path + " is " + std::to_string(value), "expected a number from 0 on");
    return static_cast<int>(value);
  }

  Level level(const toml::node& node, const std::string& path) {
    if (const auto* value = node.as_boolean()) return value->get();
    if (const auto* value = node.as_integer()) return value->get();
    if (const auto* value = node.as_floating_point()) return value->get();
    if (const auto* value = node.as_string()) return clean(*value);
    wrong_type(node, path, "text, a number, true or false");
  }

  void head(const toml::table& table) {
    keys(table, "plan", {"title", "baseline", "margin", "watch", "seed"});
    plan_.title = text(table, "plan", "title");
    plan_.baseline = text(table, "plan", "baseline");
    plan_.watch = texts(table, "plan", "watch");
    if (table.contains("margin")) plan_.margin = quantity(table, "plan", "margin", parse_share);
    if (const auto* node = table.get("seed")) {
      if (!node->is_integer() || node->as_integer()->get() < 0)
        wrong_type(*node, "plan.seed", "a whole number from 0 on");
      plan_.seed = static_cast<std::uint64_t>(node->as_integer()->get());
    }
  }

  void rounds(const toml::table& table) {
    keys(table, "rounds", {"min", "max", "budget"});
    if (table.contains("max")) plan_.rounds.max = count(table, "rounds", "max");
    plan_.rounds.min = std::min(plan_.rounds.min, plan_.rounds.max);
    if (table.contains("min")) {
      plan_.rounds.min = count(table, "rounds", "min");
      if (!table.contains("max")) plan_.rounds.max = std::max(plan_.rounds.max, plan_.rounds.min);
    }
    if (table.contains("budget")) plan_.rounds.budget = quantity(table, "rounds", "budget", parse_duration);
  }

  void factor(const toml::table& table, const std::string& path) {
    keys(table, path, {"name", "levels", "role"});
    Factor factor{.name = text(table, path, "name")};
    if (const auto* node = table.get("levels")) {
      if (!node->is_array()) wrong_type(*node, path + ".levels", "a list");
      for (const auto& item : *node->as_array())
        factor.levels.push_back(level(item, "an entry of " + path + ".levels"));
    }
    if (const auto role = text(table, path, "role"); role == "size")
      factor.role = Factor::Role::size;
    else if (role == "threads")
      factor.role = Factor::Role::threads;
    else if (!role.empty() && role != "option")
      fail(*table.get("role"), "unknown role \"" + printable(role) + "\"",
           meant_or_known(role, std::vector<std::string>{"size", "threads", "option"}));
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
    keys(table, path, {"name", "run", "stdin", "check", "skip", "timeout"});
    PlannedWorkload workload{.name = text(table, path, "name"),
                             .run = texts(table, path, "run"),
                             .stdin_file = text(table, path, "stdin")};
    if (table.contains("skip")) workload.skip = texts(table, path, "skip");
    if (table.contains("timeout")) workload.timeout = quantity(table, path, "timeout", parse_duration);
    if (const auto* node = table.get("check")) {
      if (!node->is_table()) wrong_type(*node, path + ".check", "a table: { equal = \"stdout\" }");
      check(*node->as_table(), path + ".check", workload.check);
    }
    plan_.workloads.push_back(std::move(workload));
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

  std::string name_;
  Plan plan_;
  Places places_;
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
  Reader reader(name);
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
