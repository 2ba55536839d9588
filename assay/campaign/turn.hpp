#pragma once

#include <stop_token>

#include "assay/campaign/observer.hpp"
#include "assay/measure/turnstile.hpp"
#include "assay/model/log.hpp"

namespace assay::inline v1::campaign {

/// Takes the machine's turnstile, or tells the observer that another campaign has it, and waits for it or
/// goes on beside it as `when_busy` says. Beside another, the sitting has that among its facts. Throws
/// Stopped when it was asked to stop while waiting.
void take_turn(measure::Turnstile& turnstile, WhenBusy when_busy, Observer& observer,
               const std::stop_token& stop, Sitting& sitting);

}  // namespace assay::inline v1::campaign
