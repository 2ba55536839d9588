#include "assay/plan/toml_reader.hpp"

#include <algorithm>

#include "assay/model/error.hpp"
#include "assay/model/text.hpp"

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

}  // namespace

std::string TomlReader::place(const toml::source_region& region) const {
  return name_ + ":" + std::to_string(region.begin.line) + ":" + std::to_string(region.begin.column);
}

void TomlReader::fail(const toml::node& at, const std::string& problem, const std::string& remedy) const {
  throw Error(problem, place(at.source()), remedy);
}

void TomlReader::wrong_type(const toml::node& at, const std::string& path,
                            const std::string& expected) const {
  fail(at, path + " is " + kind_of(at), "expected " + expected);
}

void TomlReader::check_keys(const toml::table& table, const std::string& path,
                            const std::vector<std::string>& known) {
  for (const auto& [key, node] : table) {
    const std::string word(key.str());
    if (std::ranges::count(known, word) > 0) {
      places_[path.empty() ? word : path + "." + word] = place(key.source());
      continue;
    }
    // A pause, unmeasured requests and the ignored start of a series once had one name.
    for (const char* now : {"pause", "warmup", "lead_in"})
      if (word == "settle" && std::ranges::count(known, now) > 0)
        throw Error("\"settle\"" + (path.empty() ? "" : " in " + path) + " is named \"" + now + "\" now",
                    place(key.source()), "rename it");
    throw Error("unknown key \"" + printable_line(word, 200) + "\"" + (path.empty() ? "" : " in " + path),
                place(key.source()), did_you_mean(word, known));
  }
}

const toml::table* TomlReader::section(const toml::table& root, const std::string& key) {
  const auto* node = root.get(key);
  if (node == nullptr) return nullptr;
  if (!node->is_table()) wrong_type(*node, key, "a table: [" + key + "]");
  return node->as_table();
}

std::string TomlReader::clean(const toml::value<std::string>& value) const {
  if (value.get().find('\0') != std::string::npos) fail(value, "text with a NUL character", "take it out");
  return value.get();
}

std::vector<std::string> TomlReader::texts(const toml::node& node, const std::string& path) const {
  if (!node.is_array()) wrong_type(node, path, "a list of texts: [\"…\", \"…\"]");
  std::vector<std::string> list;
  for (const auto& item : *node.as_array()) {
    if (!item.is_string()) wrong_type(item, "an entry of " + path, "text in quotes");
    list.push_back(clean(*item.as_string()));
  }
  if (list.empty()) fail(node, path + " is empty", "list at least one, or leave the key out");
  return list;
}

std::size_t TomlReader::choice(const toml::node& node, const std::string& path, const Key& key,
                               const std::vector<std::string>& known) const {
  if (!node.is_string()) wrong_type(node, path, "text in quotes");
  const auto word = clean(*node.as_string());
  const auto found = std::ranges::find(known, word);
  if (found == known.end())
    fail(node, "unknown " + std::string(key.name) + " \"" + printable_line(word) + "\"",
         did_you_mean(word, known));
  return static_cast<std::size_t>(found - known.begin());
}

void TomlReader::take(const toml::node& node, const std::string& path, const Key& key, std::string& into) {
  if (key.format == codec::KeyFormat::any_level) {
    Level level;
    take(node, path, key, level);
    into = to_string(level);
    return;
  }
  if (!node.is_string()) wrong_type(node, path, "text in quotes");
  into = clean(*node.as_string());
}

void TomlReader::take(const toml::node& node, const std::string& path, const Key& key, bool& into) {
  if (key.format == codec::KeyFormat::pass_or_fail) {
    into = choice(node, path, key, {"pass", "fail"}) == 0;
    return;
  }
  if (!node.is_boolean()) wrong_type(node, path, "true or false");
  into = node.as_boolean()->get();
}

void TomlReader::take(const toml::node& node, const std::string& path, const Key& key, int& into) {
  if (key.format == codec::KeyFormat::all_or_number && node.is_boolean()) {
    into = node.as_boolean()->get() ? -1 : 0;
    return;
  }
  if (!node.is_integer()) wrong_type(node, path, key.example != nullptr ? key.example : "a whole number");
  const auto value = node.as_integer()->get();
  if (value < key.min || value > key.max)
    fail(node, path + " is " + std::to_string(value),
         key.max == Key{""}.max
             ? "expected a number from " + std::to_string(key.min) + " on"
             : "expected a number from " + std::to_string(key.min) + " to " + std::to_string(key.max));
  into = static_cast<int>(value);
}

void TomlReader::take(const toml::node& node, const std::string& path, const Key& key, double& into) {
  const bool plain = key.format == codec::KeyFormat::plain;
  const bool ratio = key.format == codec::KeyFormat::share_or_ratio && node.is_floating_point();
  if (plain && !node.is_number()) wrong_type(node, path, key.example != nullptr ? key.example : "a number");
  if (plain || ratio)
    into = *node.value<double>();
  else if (key.format == codec::KeyFormat::duration_or_none && node.value_or(std::string{}) == "0 s")
    into = 0;
  else
    into = parsed(node, path, key,
                  key.format == codec::KeyFormat::share || key.format == codec::KeyFormat::share_or_ratio
                      ? parse_percent
                      : parse_duration);
}

void TomlReader::take(const toml::node& node, const std::string& path, const Key& key, std::uint64_t& into) {
  if (key.format == codec::KeyFormat::bytes) {
    into = parsed(node, path, key, parse_bytes);
    return;
  }
  if (!node.is_integer() || node.as_integer()->get() < 0) wrong_type(node, path, "a whole number from 0 on");
  into = static_cast<std::uint64_t>(node.as_integer()->get());
}

void TomlReader::take(const toml::node& node, const std::string& path, const Key& key, Aggregate& into) {
  into = parsed(node, path, key, parse_aggregate);
}

void TomlReader::take(const toml::node& node, const std::string& path, const Key& key, LeadIn& into) {
  if (node.is_integer() && node.as_integer()->get() > 0)
    into = {.values = node.as_integer()->get()};
  else
    into = parsed(node, path, key, parse_lead_in);
}

void TomlReader::take(const toml::node& node, const std::string& path, const Key& key, Work& into) {
  into = parsed(node, path, key, parse_work);
}

void TomlReader::take(const toml::node& node, const std::string& path, const Key& key, Requirement& into) {
  into = parsed(node, path, key, parse_requirement);
}

void TomlReader::take(const toml::node& node, const std::string& path, const Key& /*key*/, Level& into) {
  if (node.is_boolean())
    into = node.as_boolean()->get();
  else if (node.is_integer())
    into = node.as_integer()->get();
  else if (node.is_floating_point())
    into = node.as_floating_point()->get();
  else if (node.is_string())
    into = clean(*node.as_string());
  else
    wrong_type(node, path, "text, a number, true or false");
}

void TomlReader::take(const toml::node& node, const std::string& path, const Key& key, Hook& into) {
  into = {};
  if (node.is_array()) {
    into.run = texts(node, path);
    return;
  }
  if (!node.is_table()) wrong_type(node, path, key.example);
  read(*node.as_table(), path, into);
  if (into.run.empty()) fail(node, path + " has no command", "give it run = [\"…\"]");
}

void TomlReader::take(const toml::node& node, const std::string& path, const Key& key,
                      std::vector<std::string>& into) {
  const bool alone = key.format == codec::KeyFormat::words && node.is_string();
  into = alone ? std::vector{clean(*node.as_string())} : texts(node, path);
}

void TomlReader::take(const toml::node& node, const std::string& path, const Key& /*key*/,
                      std::optional<std::vector<std::string>>& into) {
  const bool none = node.is_array() && node.as_array()->empty();
  into = none ? std::vector<std::string>{} : texts(node, path);
}

void TomlReader::take(const toml::node& node, const std::string& path, const Key& /*key*/,
                      std::vector<std::vector<std::string>>& into) {
  const char* expected = "a list of argument lists: [[\"cmake\", \"-S\", \"${source}\"], [\"cmake\", …]]";
  if (!node.is_array()) wrong_type(node, path, expected);
  into.clear();
  for (const auto& item : *node.as_array()) {
    if (!item.is_array()) wrong_type(item, "an entry of " + path, expected);
    if (item.as_array()->empty())
      fail(item, "a step of " + path + " is empty", "give it a command, or take it out");
    into.push_back(texts(item, "a step of " + path));
  }
  if (into.empty()) fail(node, path + " is empty", "list at least one step");
}

void TomlReader::take(const toml::node& node, const std::string& path, const Key& key,
                      std::map<std::string, Level>& into) {
  if (!node.is_table()) wrong_type(node, path, key.example);
  for (const auto& [name, value] : *node.as_table()) {
    const std::string word(name.str());
    take(value, path + "." + word, key, into[word]);
  }
}

std::vector<std::pair<const toml::table*, std::string>> TomlReader::tables(const toml::table& root,
                                                                           const std::string& key) {
  const auto* node = root.get(key);
  if (node == nullptr) return {};
  if (node->is_table())
    wrong_type(*node, key, "a list of tables: write [[" + key + "]], with double brackets");
  if (!node->is_array()) wrong_type(*node, key, "a list of tables: [[" + key + "]]");
  std::vector<std::pair<const toml::table*, std::string>> all;
  for (const auto& item : *node->as_array()) {
    const auto path = key + "[" + std::to_string(all.size()) + "]";
    if (!item.is_table()) wrong_type(item, path, "a table");
    places_[path] = place(item.source());
    all.emplace_back(item.as_table(), path);
  }
  return all;
}

namespace {

std::string name_of_commit(const std::string& commit) { return commit == "." ? "working tree" : commit; }

}  // namespace

void CandidateReader::build_defaults(const toml::table& table) {
  read_by([](auto& value, const auto& visit) { codec::build_keys(value, visit); }, table, "build", defaults_);
  if (defaults_.build.steps.empty()) fail(table, "[build] has no steps", "give it steps = [[\"make\"], …]");
}

std::vector<PlannedCandidate> CandidateReader::candidates(const toml::table& table, const std::string& path) {
  const auto* named = table.get("commits");
  const auto commits = named == nullptr ? std::vector<std::string>{} : texts(*named, path + ".commits");
  PlannedCandidate candidate{.identify = defaults_.identify};
  const bool has_program = table.contains("exe") || table.contains("run");
  if (named != nullptr || table.contains("source") || table.contains("steps") || !has_program) {
    candidate.exe = defaults_.exe;
    candidate.source = defaults_.source;
    candidate.build = defaults_.build;
  }
  read(table, path, candidate, {"commits"});
  if (commits.empty()) return {candidate};
  if (!candidate.name.empty() && commits.size() > 1)
    fail(*table.get("name"), "one name for " + std::to_string(commits.size()) + " commits",
         "leave name out: each is named by its commit");
  std::vector<PlannedCandidate> all;
  for (const auto& commit : commits) {
    all.push_back(candidate);
    all.back().commit = commit;
    if (candidate.name.empty()) all.back().name = name_of_commit(commit);
  }
  return all;
}

PlannedCandidate CandidateReader::from_commit(const std::string& commit) const {
  auto candidate = defaults_;
  candidate.name = name_of_commit(commit);
  candidate.commit = commit;
  return candidate;
}

}  // namespace assay::plan
