#include "assay/campaign/turn.hpp"

#include <chrono>
#include <thread>

#include "assay/model/stopped.hpp"

namespace assay::campaign {

void acquire_machine(measure::MachineLock& turnstile, WhenBusy when_busy, Observer& observer,
                     const std::stop_token& stop, Session& sitting) {
  if (turnstile.try_lock()) return;
  observer.on_busy(when_busy);
  if (when_busy == WhenBusy::proceed) {
    sitting.facts.push_back({"beside another campaign", "yes"});
    return;
  }
  while (!turnstile.try_lock()) {
    if (stop.stop_requested()) throw Cancelled{};
    std::this_thread::sleep_for(std::chrono::milliseconds(200));
  }
}

}  // namespace assay::campaign
