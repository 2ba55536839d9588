#include "assay/ledger/session_owner.hpp"

#include <unistd.h>

#include <fstream>
#include <random>
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

std::string own_token(soci::session& sql) {
  if (!is_postgres(sql)) return token_of_this_process();
  static const auto drawn = [] {
    std::random_device device;
    return std::to_string(device()) + std::to_string(device());
  }();
  return token_of_this_process() + ":" + drawn;
}

std::optional<std::string> is_alive(const SessionOwner& owner, const std::string& boot) {
  if (owner.boot != boot) {
    constexpr std::int64_t a_minute = 60'000;
    if (unix_milliseconds() - owner.seen < a_minute) return "another machine";
    return {};
  }
  const auto colon = owner.token.find(':');
  if (colon == std::string::npos) return {};
  const auto pid = owner.token.substr(0, colon), birth = birth_of(pid);
  if (birth.empty() || birth != owner.token.substr(colon + 1)) return {};
  return "process " + pid;
}

std::optional<std::string> at_work(soci::session& sql, CampaignId campaign, const SessionOwner& owner,
                                   const std::string& boot) {
  if (!is_postgres(sql)) return is_alive(owner, boot);
  std::string is_free;  // shared: those who look at the same time don't see each other
  const auto of = static_cast<int>(campaign.value), who = static_cast<int>(owner.session.value);
  sql << "SELECT CASE WHEN pg_try_advisory_xact_lock_shared(:c, :s) THEN 'free' ELSE 'held' END", use(of),
      use(who), into(is_free);
  if (is_free == "free") return {};
  const auto pid = owner.token.substr(0, owner.token.find(':'));
  return owner.boot == boot ? "process " + pid : "another machine";
}

std::vector<SessionOwner> open_sessions(soci::session& sql, CampaignId campaign) {
  std::vector<SessionOwner> all;
  const soci::rowset<soci::row> rows =
      (sql.prepare << "SELECT id, token, boot, seen FROM session WHERE campaign = :c AND ended IS NULL"
                      " AND token IS NOT NULL ORDER BY id",
       use(campaign.value));
  for (const auto& row : rows) {
    SessionOwner owner;
    codec::from_value(value_of(row, 0), owner.session);
    codec::from_value(value_of(row, 1), owner.token);
    codec::from_value(value_of(row, 2), owner.boot);
    owner.seen = codec::read_whole(value_of(row, 3));
    all.push_back(std::move(owner));
  }
  return all;
}

std::optional<std::string> measurer_of(soci::session& sql, CampaignId campaign, const std::string& boot) {
  for (const auto& owner : open_sessions(sql, campaign))
    if (auto who = at_work(sql, campaign, owner, boot)) return who;
  return {};
}

void refuse_measured(soci::session& sql, CampaignId campaign, const std::string& boot) {
  const auto who = measurer_of(sql, campaign, boot);
  if (!who) return;
  std::string uid;
  sql << "SELECT uid FROM campaign WHERE id = :c", use(campaign.value), into(uid);
  throw Error("campaign " + short_uid(uid) + " is being measured by " + *who, Error::Field::resume,
              "wait for its end, or stop it; assay join " + short_uid(uid) + " takes part in it",
              Error::Code::in_use);
}

}  // namespace assay::ledger
