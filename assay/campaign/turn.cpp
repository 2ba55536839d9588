#include "assay/campaign/turn.hpp"

#include <chrono>
#include <thread>

#include "assay/model/stopped.hpp"

namespace assay::inline v1::campaign {

void take_turn(measure::Turnstile& turnstile, WhenBusy when_busy, Observer& observer,
               const std::stop_token& stop, Sitting& sitting) {
  if (turnstile.enter()) return;
  observer.busy(when_busy);
  if (when_busy == WhenBusy::go_on) {
    sitting.facts.push_back({"beside another campaign", "yes"});
    return;
  }
  while (!turnstile.enter()) {
    if (stop.stop_requested()) throw Stopped{};
    std::this_thread::sleep_for(std::chrono::milliseconds(200));
  }
}

}  // namespace assay::inline v1::campaign
