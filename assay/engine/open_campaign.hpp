#pragma once

#include <string>

#include "assay/engine/recorder.hpp"
#include "assay/model/log.hpp"

namespace assay::engine {

/// Lays a campaign down in a ledger (in memory only when `ledger` is empty), or, with `resume`, goes on with
/// the newest one of the same plan that the ledger has; one that has ended is taken as it is, and nothing is
/// stored. `laid` has one session, the one that begins now.
///
/// Throws Error, saying what changed, when the newest one that was begun by the same command was cut off or
/// interrupted but its plan was another; when programs, commits or the machine are not what they were; and
/// with Code::in_use when it is being measured by a process that is still alive.
Recorder open_or_resume(Record laid, const std::string& ledger, bool resume);

}  // namespace assay::engine
