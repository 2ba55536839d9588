#include "assay/service/process_tree.hpp"

#include <unistd.h>

#include <charconv>
#include <ctime>
#include <filesystem>
#include <fstream>
#include <sstream>
#include <system_error>

namespace assay::service {
namespace fs = std::filesystem;
namespace {

/// The fields of a process's stat file after its name: state first.
std::vector<std::string> stat_of(pid_t process) {
  std::ifstream file("/proc/" + std::to_string(process) + "/stat");
  std::string line;
  std::getline(file, line);
  const auto end_of_name = line.rfind(')');
  std::vector<std::string> fields;
  if (end_of_name == std::string::npos) return fields;
  std::istringstream rest(line.substr(end_of_name + 1));
  for (std::string field; rest >> field;) fields.push_back(field);
  return fields;
}

template <class T>
T count_in(const std::string& text) {
  T value{};
  std::from_chars(text.data(), text.data() + text.size(), value);
  return value;
}

}  // namespace

std::vector<pid_t> processes_of(pid_t session) {
  constexpr std::size_t session_field = 3;
  std::vector<pid_t> processes;
  std::error_code failed;
  for (auto entry = fs::directory_iterator("/proc", failed); entry != fs::directory_iterator();
       entry.increment(failed)) {
    if (failed) break;
    const auto name = entry->path().filename().string();
    if (name.find_first_not_of("0123456789") != std::string::npos) continue;
    const auto process = count_in<pid_t>(name);
    const auto fields = stat_of(process);
    if (fields.size() > session_field && count_in<pid_t>(fields[session_field]) == session &&
        fields[0] != "Z")
      processes.push_back(process);
  }
  return processes;
}

double cpu_of(const std::vector<pid_t>& processes) {
  constexpr std::size_t child_user = 13, child_system = 14;
  const auto tick = static_cast<double>(sysconf(_SC_CLK_TCK));
  double seconds = 0;
  for (const auto process : processes) {
    clockid_t clock{};
    timespec used{};
    if (clock_getcpuclockid(process, &clock) == 0 && clock_gettime(clock, &used) == 0)
      seconds += static_cast<double>(used.tv_sec) + 1e-9 * static_cast<double>(used.tv_nsec);
    const auto fields = stat_of(process);
    if (fields.size() > child_system)
      seconds += static_cast<double>(count_in<std::uint64_t>(fields[child_user]) +
                                     count_in<std::uint64_t>(fields[child_system])) /
                 tick;
  }
  return seconds;
}

std::set<std::uint64_t> sockets_of(const std::vector<pid_t>& processes) {
  const std::string mark = "socket:[";
  std::set<std::uint64_t> inodes;
  for (const auto process : processes) {
    std::error_code failed;
    for (auto entry = fs::directory_iterator("/proc/" + std::to_string(process) + "/fd", failed);
         entry != fs::directory_iterator(); entry.increment(failed)) {
      if (failed) break;
      const auto target = fs::read_symlink(entry->path(), failed).string();
      if (target.starts_with(mark)) inodes.insert(count_in<std::uint64_t>(target.substr(mark.size())));
    }
  }
  return inodes;
}

}  // namespace assay::service
