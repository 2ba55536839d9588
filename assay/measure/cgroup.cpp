#include "assay/measure/cgroup.hpp"

#include <unistd.h>

#include <atomic>
#include <filesystem>
#include <fstream>

namespace assay::measure {
namespace fs = std::filesystem;

TrialCgroup::TrialCgroup(const std::string& parent, int processes) {
  static std::atomic<int> count = 0;
  folder_ = parent + "/assay-" + std::to_string(getpid()) + "-" + std::to_string(++count);
  std::error_code ignored;
  fs::create_directory(folder_, ignored);
  if (processes > 0 && fs::exists(folder_ + "/pids.max", ignored))
    std::ofstream(folder_ + "/pids.max") << processes;
}

TrialCgroup::~TrialCgroup() {
  std::error_code ignored;
  fs::remove(folder_, ignored);  // the kernel takes an empty group's files away with it
}

std::optional<double> TrialCgroup::peak() const {
  std::ifstream file(folder_ + "/memory.peak");
  double bytes = 0;
  return file >> bytes ? std::optional(bytes) : std::nullopt;
}

std::optional<double> TrialCgroup::core_wait() const {
  std::ifstream file(folder_ + "/cpu.pressure");
  for (std::string word; file >> word && word != "full";)
    if (word.starts_with("total=")) return std::stod(word.substr(word.find('=') + 1)) * 1e-6;
  return {};
}

bool TrialCgroup::was_at_process_limit() const {
  std::ifstream file(folder_ + "/pids.events");
  std::string name;
  double times = 0;
  return file >> name >> times && name == "max" && times > 0;
}

CgroupParent find_cgroup_parent(const std::string& root, const std::string& own) {
  std::ifstream groups(own);
  std::string mine;
  for (std::string line; std::getline(groups, line);)
    if (line.starts_with("0::/")) mine = line.substr(3);
  if (mine.empty()) return {};
  CgroupParent found;
  for (const auto& top : {root, root + "/unified"}) {
    auto here = fs::path(top + mine).lexically_normal();
    if (!here.has_filename()) here = here.parent_path();
    for (const auto& parent : {here.parent_path(), here}) {
      if (parent.string().size() < top.size()) continue;
      const TrialCgroup trial(parent.string());
      const CgroupParent offer{.folder = parent.string(),
                               .accounts_memory = trial.peak().has_value(),
                               .tells_core_wait = trial.core_wait().has_value()};
      if ((!offer.accounts_memory && !offer.tells_core_wait) ||
          access(trial.procs_file().c_str(), W_OK) != 0 ||
          access((parent / "cgroup.procs").c_str(), W_OK) != 0)
        continue;
      if (offer.accounts_memory) return offer;
      if (found.folder.empty()) found = offer;
    }
  }
  return found;
}

}  // namespace assay::measure
