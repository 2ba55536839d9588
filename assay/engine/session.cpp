#include "assay/engine/session.hpp"

#include <chrono>
#include <random>
#include <thread>

#include "assay/measure/digest.hpp"
#include "assay/measure/machine.hpp"
#include "assay/model/error.hpp"

namespace assay::engine {

std::uint64_t make_seed() {
  std::random_device device;
  return ((static_cast<std::uint64_t>(device()) << 32U) | device()) >> 2U;
}

std::string make_uid() {
  const auto digits = measure::digest_of(std::to_string(make_seed()) + std::to_string(make_seed()));
  return digits.substr(0, 16);
}

Session current_session() {
  Session session{.boot = measure::boot_id(), .facts = measure::machine_facts()};
  session.facts.push_back({"fingerprint", measure::machine_fingerprint(session.facts)});
  return session;
}

void acquire_machine(measure::MachineLock& machine_lock, WhenBusy when_busy, Observer& observer,
                     const std::stop_token& stop, Session& session) {
  if (machine_lock.try_lock()) return;
  observer.on_busy(when_busy);
  if (when_busy == WhenBusy::proceed) {
    session.facts.push_back({"beside another campaign", "yes"});
    return;
  }
  while (!machine_lock.try_lock()) {
    if (stop.stop_requested()) throw Cancelled{};
    std::this_thread::sleep_for(std::chrono::milliseconds(200));
  }
}

}  // namespace assay::engine
