#pragma once

#include <cstdint>
#include <stop_token>
#include <string>

#include "assay/engine/observer.hpp"
#include "assay/engine/recorder.hpp"
#include "assay/measure/machine.hpp"
#include "assay/model/log.hpp"

namespace assay::engine {

/// A seed that was not chosen. Below 2^62, so that every format can carry it as a plain number.
std::uint64_t make_seed();

/// 16 hexadecimal digits that no other campaign has.
std::string make_uid();

/// This machine and boot, with its facts.
Session current_session();

/// Takes the machine's lock, or tells the observer that another campaign has it, and waits for it or goes on
/// beside it as `run.when_busy` says; what is returned then holds nothing, and the session has that among its
/// facts. Throws Cancelled when it was asked to stop while waiting.
[[nodiscard]] measure::MachineLock acquire_machine(const RunOptions& run, Session& session);

/// Lays a campaign down in a ledger (in memory only when `ledger` is empty), or, with `resume`, goes on with
/// the newest one of the same plan that the ledger has; one that has ended is taken as it is, and nothing is
/// stored. `laid` has one session, the one that begins now.
///
/// Throws Error, saying what changed, when the newest one that was begun by the same command was cut off or
/// interrupted but its plan was another; when programs, commits or the machine are not what they were; and
/// with Code::in_use when it is being measured by a process that is still alive.
Recorder open_or_resume(Record laid, const std::string& ledger, bool resume);

/// Takes part in a campaign of a ledger. `laid` is what its plan lays down here, with one session.
///
/// Throws Error, which names what differs, where that is not what the campaign compares: other cells, inputs or watched
/// metrics; and unless Joining::unlike another kind of machine, or a program that is another file, though built from the
/// same source by the same steps. Also as Ledger::join() does.
Recorder join_campaign(Record laid, const std::string& ledger, const Joining& joining);

}  // namespace assay::engine
