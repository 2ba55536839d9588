#include "assay/plan/plan_file.hpp"

#include <algorithm>
#include <filesystem>
#include <fstream>
#include <iterator>

#include "assay/metrics/catalogue.hpp"
#include "assay/model/error.hpp"
#include "assay/model/own_files.hpp"
#include "assay/model/text.hpp"
#include "assay/plan/toml_reader.hpp"

namespace assay::plan {
namespace {

class PlanReader : public CandidateReader {
 public:
  using CandidateReader::CandidateReader;

  Plan read_plan(const toml::table& root, const std::vector<std::string>& commits) {
    check_keys(root, "",
               {"plan", "rounds", "control", "build", "factor", "candidate", "workload", "metric", "gate",
                "history"});
    if (const auto* table = section(root, "plan")) read(*table, "plan", plan_);
    if (const auto* table = section(root, "rounds")) rounds(*table);
    if (const auto* table = section(root, "control")) read(*table, "control", everywhere_);
    each(root, "factor",
         [&](const toml::table& t, const std::string& path) { read(t, path, plan_.factors.emplace_back()); });
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
    if (const auto* table = section(root, "gate")) read(*table, "gate", plan_.gate);
    if (const auto* table = section(root, "history")) read(*table, "history", plan_.history);
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

  void rounds(const toml::table& table) {
    auto& rounds = plan_.rounds;
    read(table, "rounds", rounds);
    if (!table.contains("min")) rounds.min = std::min(rounds.min, rounds.max);
    if (!table.contains("max")) rounds.max = std::max(rounds.max, rounds.min);
  }

  void workload(const toml::table& table, const std::string& path) {
    auto& workload = plan_.workloads.emplace_back();
    workload.control = everywhere_;
    read(table, path, workload);
  }

  void metric(const toml::table& table, const std::string& path) {
    auto& planned = plan_.metrics.emplace_back();
    // One of Assay's own is refined: what is not given here stays as the catalogue has it.
    const auto name = table["name"].value_or(std::string{});
    if (const auto* own = metrics::find_metric_info(name); own != nullptr && own->of_programs)
      planned.metric = own->metric;
    read(table, path, planned);
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
    throw Error(printable_line(error.description(), 500),
                name + ":" + std::to_string(at.line) + ":" + std::to_string(at.column),
                "a plan is a text file in TOML");
  }
}

}  // namespace

Plan read(const std::string& text, const std::string& name, const std::string& folder,
          const std::vector<std::string>& commits) {
  const auto root = parse(text, name);
  PlanReader reader(name);
  Plan plan = reader.read_plan(root, commits);
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
  constexpr std::size_t most = 16UL << 20U;
  const auto text = read_regular(path, most);
  const auto folder = std::filesystem::absolute(path).parent_path().lexically_normal().string();
  return read(text, path, folder, commits);
}

}  // namespace assay::plan
