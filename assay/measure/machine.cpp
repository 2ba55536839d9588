#include "assay/measure/machine.hpp"

#include <sys/utsname.h>
#include <unistd.h>

#include <fstream>
#include <thread>

#include "assay/measure/digest.hpp"

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

}  // namespace

std::vector<Fact> machine_facts() {
  utsname system{};
  uname(&system);
  const auto bytes = static_cast<long long>(sysconf(_SC_PHYS_PAGES)) * sysconf(_SC_PAGESIZE);
  return {{"processor", processor()},
          {"cores", std::to_string(std::thread::hardware_concurrency())},
          {"memory MiB", std::to_string(bytes >> 20U)},
          {"architecture", system.machine},
          {"kernel", system.release}};
}

std::string machine_fingerprint(const std::vector<Fact>& facts) {
  std::string all;
  for (const auto& fact : facts)
    if (fact.name != "kernel") all += fact.name + "=" + fact.value + "\n";
  return digest_of(all);
}

std::string boot_id() { return first_line("/proc/sys/kernel/random/boot_id"); }

}  // namespace assay::measure
