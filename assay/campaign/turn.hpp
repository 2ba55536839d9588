#pragma once

#include <stop_token>

#include "assay/campaign/observer.hpp"
#include "assay/measure/turnstile.hpp"
#include "assay/model/log.hpp"

namespace assay::campaign {

/// Takes the machine's turnstile, or tells the observer that another campaign has it, and waits for it or
/// goes on beside it as `when_busy` says. Beside another, the sitting has that among its facts. Throws
/// Stopped when it was asked to stop while waiting.
void acquire_machine(measure::MachineLock& turnstile, WhenBusy when_busy, Observer& observer,
                     const std::stop_token& stop, Session& sitting);

}  // namespace assay::campaign
