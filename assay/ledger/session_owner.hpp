#pragma once

#include <soci/soci.h>

#include <cstdint>
#include <optional>
#include <string>

#include "assay/model/log.hpp"

namespace assay::ledger {

/// Who measures in a session, as the ledger keeps it.
struct SessionOwner {
  SessionId session;
  std::string token;      ///< of the process
  std::string boot;       ///< of its machine
  std::int64_t seen = 0;  ///< when it was last heard of, in milliseconds since 1970
};

/// Names this process among all of its boot: its number, and when it began.
std::string token_of_this_process();

/// The same among all processes that use this ledger: two machines may have processes of one number that began at one tick,
/// so in a database a number that is drawn once is part of it.
std::string own_token(soci::session& sql);

/// Who it is ("process 4711"), if it is still at work; `boot` is this machine's. Of a file: a process of another boot is
/// believed to be for a minute after it was last heard of.
std::optional<std::string> is_alive(const SessionOwner& owner, const std::string& boot);

/// The same of a session of any ledger; of a database's the lock that its process holds tells (Presence).
std::optional<std::string> at_work(soci::session& sql, CampaignId campaign, const SessionOwner& owner,
                                   const std::string& boot);

/// The sessions of a campaign that have not ended, whether or not somebody is still at work in them.
std::vector<SessionOwner> open_sessions(soci::session& sql, CampaignId campaign);

/// Who measures a campaign now, one of them, if anybody does.
std::optional<std::string> measurer_of(soci::session& sql, CampaignId campaign, const std::string& boot);

}  // namespace assay::ledger
