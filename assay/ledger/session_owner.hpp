#pragma once

#include <cstdint>
#include <optional>
#include <string>

namespace assay::ledger {

/// Who measures in a session, as the ledger keeps it.
struct SessionOwner {
  std::string token;      ///< of the process
  std::string boot;       ///< of its machine
  std::int64_t seen = 0;  ///< when it was last heard of, in milliseconds since 1970
};

/// Names this process among all of its boot: its number, and when it began.
std::string token_of_this_process();

/// Who it is ("process 4711"), if it is still at work; `boot` is this machine's. A process of another boot is
/// believed to be for a minute after it was last heard of.
std::optional<std::string> is_alive(const SessionOwner& measurer, const std::string& boot);

}  // namespace assay::ledger
