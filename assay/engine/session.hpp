#pragma once

#include <cstdint>
#include <stop_token>
#include <string>

#include "assay/engine/observer.hpp"
#include "assay/measure/machine_lock.hpp"
#include "assay/model/log.hpp"

namespace assay::engine {

/// A seed that nobody chose. Below 2^62, so that every format can carry it as a plain number.
std::uint64_t make_seed();

/// 16 hexadecimal digits that no other campaign has.
std::string make_uid();

/// This machine and boot, with its facts.
Session current_session();

/// Takes the machine's lock, or tells the observer that another campaign has it, and waits for it or
/// goes on beside it as `when_busy` says. Beside another, the session has that among its facts. Throws
/// Cancelled when it was asked to stop while waiting.
void acquire_machine(measure::MachineLock& machine_lock, WhenBusy when_busy, Observer& observer,
                     const std::stop_token& stop, Session& session);

}  // namespace assay::engine
