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

bool TrialCgroup::was_at_process_limit() const {
  std::ifstream file(folder_ + "/pids.events");
  std::string name;
  double times = 0;
  return file >> name >> times && name == "max" && times > 0;
}

std::string find_cgroup_parent(const std::string& root, const std::string& own) {
  std::ifstream groups(own);
  std::string mine;
  for (std::string line; std::getline(groups, line);)
    if (line.starts_with("0::/")) mine = line.substr(3);
  if (mine.empty()) return {};
  const auto here = fs::path(root + mine).lexically_normal();
  for (const auto& parent : {here.parent_path(), here}) {
    if (parent.string().size() < root.size()) continue;
    const TrialCgroup trial(parent.string());
    if (trial.peak() && access(trial.procs_file().c_str(), W_OK) == 0 &&
        access((parent / "cgroup.procs").c_str(), W_OK) == 0)
      return parent.string();
  }
  return {};
}

}  // namespace assay::measure
