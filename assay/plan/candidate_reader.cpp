#include "assay/plan/candidate_reader.hpp"

#include "assay/model/quantity.hpp"

namespace assay::plan {
namespace {

std::string name_of_commit(const std::string& commit) { return commit == "." ? "working tree" : commit; }

}  // namespace

void CandidateReader::build_defaults(const toml::table& table) {
  keys(table, "build", {"steps", "exe", "source", "identify", "timeout"});
  build(table, "build", defaults_);
  if (defaults_.build.steps.empty()) fail(table, "[build] has no steps", "give it steps = [[\"make\"], …]");
}

std::vector<std::vector<std::string>> CandidateReader::steps(const toml::node& node,
                                                             const std::string& path) {
  const char* expected = "a list of argument lists: [[\"cmake\", \"-S\", \"${source}\"], [\"cmake\", …]]";
  if (!node.is_array()) wrong_type(node, path, expected);
  std::vector<std::vector<std::string>> all;
  for (const auto& item : *node.as_array()) {
    if (!item.is_array()) wrong_type(item, "an entry of " + path, expected);
    std::vector<std::string> step;
    for (const auto& word : *item.as_array()) {
      if (!word.is_string()) wrong_type(word, "a word of a step of " + path, "text in quotes");
      step.push_back(clean(*word.as_string()));
    }
    if (step.empty()) fail(item, "a step of " + path + " is empty", "give it a command, or take it out");
    all.push_back(std::move(step));
  }
  if (all.empty()) fail(node, path + " is empty", "list at least one step");
  return all;
}

void CandidateReader::build(const toml::table& table, const std::string& path, PlannedCandidate& into) {
  if (const auto* node = table.get("steps")) into.build.steps = steps(*node, path + ".steps");
  if (table.contains("timeout")) into.build.timeout = parsed(table, path, "timeout", parse_duration);
  if (table.contains("exe")) into.exe = text(table, path, "exe");
  if (table.contains("source")) into.source = text(table, path, "source");
  if (table.contains("identify")) into.identify = texts(table, path, "identify");
}

std::vector<PlannedCandidate> CandidateReader::candidates(const toml::table& table, const std::string& path) {
  keys(table, path,
       {"name", "exe", "run", "with", "commits", "source", "steps", "timeout", "identify", "against"});
  PlannedCandidate candidate{.name = text(table, path, "name"), .run = texts(table, path, "run")};
  const auto commits = texts(table, path, "commits");
  const bool has_program = table.contains("exe") || !candidate.run.empty();
  const bool built = !commits.empty() || table.contains("source") || table.contains("steps") || !has_program;
  candidate.identify = defaults_.identify;
  if (built) {
    candidate.exe = defaults_.exe;
    candidate.source = defaults_.source;
    candidate.build = defaults_.build;
  }
  build(table, path, candidate);
  candidate.against = text(table, path, "against");
  if (const auto* node = table.get("with")) {
    if (!node->is_table()) wrong_type(*node, path + ".with", "a table: { cache = \"on\" }");
    for (const auto& [key, value] : *node->as_table())
      candidate.with[std::string(key.str())] = level(value, path + ".with." + std::string(key.str()));
  }
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
