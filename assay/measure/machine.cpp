#include "assay/measure/machine.hpp"

#include <sys/socket.h>
#include <sys/un.h>
#include <sys/utsname.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <cstddef>
#include <cstdlib>
#include <fstream>
#include <sstream>
#include <string>
#include <thread>
#include <utility>

#include "assay/measure/file_io.hpp"
#include "assay/measure/process.hpp"

namespace assay::measure {

namespace {

std::string first_line(const char* path) {
  std::ifstream file(path);
  std::string line;
  std::getline(file, line);
  return line;
}

std::string processor() {
  std::ifstream file("/proc/cpuinfo");
  for (std::string line; std::getline(file, line);)
    if (line.starts_with("model name") && line.find(':') != std::string::npos)
      return line.substr(line.find(':') + 2);
  return "unknown";
}

bool cpu_flag(const std::string& flag) {
  std::ifstream file("/proc/cpuinfo");
  for (std::string line; std::getline(file, line);)
    if (line.starts_with("flags")) return (line + " ").find(" " + flag + " ") != std::string::npos;
  return false;
}

/// The word in brackets of a kernel setting like `always [madvise] never`.
std::string chosen_in(const char* path) {
  const auto line = first_line(path);
  const auto open = line.find('['), close = line.find(']');
  return open == std::string::npos || close == std::string::npos ? line
                                                                 : line.substr(open + 1, close - open - 1);
}

void add_if_known(std::vector<MachineFact>& facts, const char* name, const std::string& value) {
  if (!value.empty()) facts.push_back({name, value});
}

}  // namespace

std::vector<MachineFact> machine_facts() {
  utsname system{};
  uname(&system);
  const auto bytes = static_cast<long long>(sysconf(_SC_PHYS_PAGES)) * sysconf(_SC_PAGESIZE);
  std::vector<MachineFact> facts = {{"processor", processor()},
                                    {"cores", std::to_string(std::thread::hardware_concurrency())},
                                    {"memory MiB", std::to_string(bytes >> 20U)},
                                    {"architecture", system.machine},
                                    {"kernel", system.release}};
  if (const auto allowed = cores_allowed().size(); allowed < std::thread::hardware_concurrency())
    facts.push_back({"cores allowed", std::to_string(allowed)});
  facts.push_back({"virtual machine", cpu_flag("hypervisor") ? "yes" : "no"});
  add_if_known(facts, "clock source",
               first_line("/sys/devices/system/clocksource/clocksource0/current_clocksource"));
  add_if_known(facts, "frequency governor",
               first_line("/sys/devices/system/cpu/cpu0/cpufreq/scaling_governor"));
  add_if_known(facts, "huge pages", chosen_in("/sys/kernel/mm/transparent_hugepage/enabled"));
  const auto randomised = first_line("/proc/sys/kernel/randomize_va_space");
  if (!randomised.empty()) facts.push_back({"address randomisation", randomised == "0" ? "off" : "on"});
  return facts;
}

std::string machine_mark() {
  auto text = first_line("/etc/machine-id");
  if (text.empty()) text = model::boot_id();
  const auto cores = cores_allowed();
  if (cores.size() < std::thread::hardware_concurrency())
    for (const int core : cores) text += " " + std::to_string(core);
  return digest_of("assay measures on " + text);
}

std::string machine_fingerprint(const std::vector<MachineFact>& facts) {
  std::string all;
  for (const auto& fact : facts)
    if (std::ranges::count(lasting_facts, fact.name) > 0) all += fact.name + "=" + fact.value + "\n";
  return digest_of(all);
}

double memory_available() {
  std::ifstream file("/proc/meminfo");
  constexpr double bytes_of_kib = 1024;
  for (std::string line; std::getline(file, line);) {
    std::istringstream words(line);
    std::string name;
    double kib = 0;
    if (words >> name >> kib && name == "MemAvailable:") return kib * bytes_of_kib;
  }
  return 0;
}

MachineLock::MachineLock(std::string name) : name_(std::move(name)) {
  const char* const chosen = std::getenv("ASSAY_MACHINE_LOCK");
  if (name_.empty()) name_ = chosen != nullptr && *chosen != '\0' ? chosen : "assay-measuring";
  constexpr std::size_t longest = 100;
  name_.resize(std::min(name_.size(), longest));
}

namespace {

/// In the abstract space: the byte before the name stays zero.
std::pair<sockaddr_un, socklen_t> abstract_address(const std::string& name) {
  sockaddr_un address{};
  address.sun_family = AF_UNIX;
  name.copy(address.sun_path + 1, name.size());
  return {address, static_cast<socklen_t>(offsetof(sockaddr_un, sun_path) + 1 + name.size())};
}

}  // namespace

bool MachineLock::try_lock() {
  if (!held_.empty()) return true;
  std::vector<Descriptor> taken;
  for (const int core : cores_allowed()) {
    Descriptor candidate(socket(AF_UNIX, SOCK_STREAM | SOCK_CLOEXEC, 0));
    const auto [address, length] = abstract_address(name_ + "-" + std::to_string(core));
    if (!candidate || bind(candidate.get(), reinterpret_cast<const sockaddr*>(&address), length) != 0)
      return false;
    constexpr int asking = 16;
    listen(candidate.get(), asking);  // nobody is answered: who waits learns from the kernel who listens
    taken.push_back(std::move(candidate));
  }
  held_ = std::move(taken);
  return true;
}

std::optional<MachineLock::Holder> MachineLock::holder() const {
  for (const int core : cores_allowed()) {
    const Descriptor asking(socket(AF_UNIX, SOCK_STREAM | SOCK_CLOEXEC | SOCK_NONBLOCK, 0));
    const auto [address, length] = abstract_address(name_ + "-" + std::to_string(core));
    ucred who{};
    socklen_t size = sizeof who;
    if (asking && connect(asking.get(), reinterpret_cast<const sockaddr*>(&address), length) == 0 &&
        getsockopt(asking.get(), SOL_SOCKET, SO_PEERCRED, &who, &size) == 0)
      return Holder{who.pid, who.uid};
  }
  return {};
}

std::optional<double> MachineLock::patience(const std::optional<Holder>& holder, unsigned user) {
  constexpr double hour = 3600;
  if (holder && (holder->user == user || holder->user == 0)) return {};
  return hour;
}

}  // namespace assay::measure
