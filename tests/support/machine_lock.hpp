#pragma once

#include <chrono>
#include <thread>

#include "assay/measure/machine_lock.hpp"

namespace assay::test {
using namespace model;

/// Takes the machine's machine_lock, which other tests' campaigns hold for a moment; false when somebody keeps
/// it.
inline bool take_turn(measure::MachineLock& machine_lock) {
  for (int tries = 0; tries < 1200; ++tries) {
    if (machine_lock.try_lock()) return true;
    std::this_thread::sleep_for(std::chrono::milliseconds(50));
  }
  return false;
}

}  // namespace assay::test
