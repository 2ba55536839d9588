#include "assay/plan/candidate_reader.hpp"

namespace assay::plan {
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
