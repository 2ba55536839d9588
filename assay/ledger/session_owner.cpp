#include "assay/ledger/session_owner.hpp"

#include <unistd.h>

#include <fstream>
#include <sstream>

#include "assay/ledger/ledger_state.hpp"
#include "assay/model/error.hpp"
#include "assay/model/log.hpp"

namespace assay::ledger {

using soci::into;
using soci::use;

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
  for (int i = 0; i < birth; ++i) {
    fields >> field;
    if (i == 0 && field == "Z")
      return {};  // it has ended; that its parent has not heard of it changes nothing
  }
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

void refuse_measured(soci::session& sql, CampaignId campaign, const std::string& boot) {
  SessionOwner measurer;
  std::string uid;
  sql << "SELECT uid FROM campaign WHERE id = :c", use(campaign.value), into(uid);
  sql << "SELECT token, boot, seen FROM session WHERE campaign = :c AND ended IS NULL"
         " AND token IS NOT NULL ORDER BY id DESC LIMIT 1",
      use(campaign.value), into(measurer.token), into(measurer.boot), into(measurer.seen);
  if (!sql.got_data()) return;
  if (const auto who = is_alive(measurer, boot))
    throw Error("campaign " + short_uid(uid) + " is being measured by " + *who, Error::Field::resume,
                "wait for its end, or stop it", Error::Code::in_use);
}

}  // namespace assay::ledger
