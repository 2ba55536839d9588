#include "assay/ledger/session_owner.hpp"

#include <unistd.h>

#include <fstream>
#include <sstream>

#include "assay/model/clock.hpp"

namespace assay::ledger {
namespace {

/// When a process of this boot began, in clock ticks since then; empty when there is no such process. With
/// its number it names a process for good.
std::string birth_of(const std::string& pid) {
  std::ifstream file("/proc/" + pid + "/stat");
  std::string line;
  std::getline(file, line);
  const auto name_end = line.rfind(')');
  if (name_end == std::string::npos) return {};
  std::istringstream fields(line.substr(name_end + 1));
  std::string field;
  constexpr int birth = 20;  // counted from the one after the name
  for (int i = 0; i < birth; ++i) fields >> field;
  return field;
}

}  // namespace

std::string token_of_this_process() {
  const auto pid = std::to_string(getpid());
  return pid + ":" + birth_of(pid);
}

std::optional<std::string> is_alive(const SessionOwner& measurer, const std::string& boot) {
  if (measurer.boot != boot) {
    constexpr std::int64_t a_minute = 60'000;
    if (unix_milliseconds() - measurer.seen < a_minute) return "another machine";
    return {};
  }
  const auto colon = measurer.token.find(':');
  if (colon == std::string::npos) return {};
  const auto pid = measurer.token.substr(0, colon), birth = birth_of(pid);
  if (birth.empty() || birth != measurer.token.substr(colon + 1)) return {};
  return "process " + pid;
}

}  // namespace assay::ledger
