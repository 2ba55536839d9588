#pragma once

#include <signal.h>

#include <stop_token>
#include <thread>

#include "assay/measure/file_io.hpp"

namespace assay::app {

/// While it lives, Ctrl-C, TERM and HUP become a stop request; a second one ends the program at once, which
/// also ends what it is measuring. To be made before any other thread.
class StopOnSignals {
 public:
  StopOnSignals();
  ~StopOnSignals();
  StopOnSignals(const StopOnSignals&) = delete;
  StopOnSignals& operator=(const StopOnSignals&) = delete;

  std::stop_token token() const { return source_.get_token(); }

 private:
  void listen();

  sigset_t before_{};
  measure::Descriptor signals_, done_;
  std::stop_source source_;
  std::thread listener_;
};

}  // namespace assay::app
