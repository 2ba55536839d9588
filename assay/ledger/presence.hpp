#pragma once

#include <memory>
#include <string>

#include "assay/ledger/place.hpp"
#include "assay/model/design.hpp"
#include "assay/model/log.hpp"

namespace assay::ledger {

/// Shows others that a session is at work: while it lives it holds a lock of the server that the end of this process, however
/// it ends, gives back. A thread with a connection of its own takes the lock and then sleeps; nothing is sent. When the
/// connection is lost it takes the lock again on a new one, as soon as the server no longer holds it for the lost one.
class Presence {
 public:
  /// Returns when the lock is held, or ten seconds later: it is then taken when the server can be reached. Throws Error for a
  /// place that names no server.
  Presence(const Place& place, CampaignId campaign, SessionId session);
  ~Presence();
  Presence(const Presence&) = delete;
  Presence& operator=(const Presence&) = delete;

 private:
  struct State;
  std::unique_ptr<State> state_;
};

}  // namespace assay::ledger
