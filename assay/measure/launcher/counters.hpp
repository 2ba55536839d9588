#pragma once

#include "assay/measure/launcher/protocol.hpp"

/// The kernel's event counters (perf_event_open(2)). They are opened disabled and inherited and switched on
/// by exec, so that they count the program and its children from its first instruction and nothing before;
/// with the kernel excluded, which needs no privilege.
namespace assay::launcher {

class Counters {
 public:
  /// Opens what `wanted` (bits over Count) asks for, on this process's future children. Counters that are
  /// open already stay so, those no longer wanted are closed.
  void open(unsigned wanted);

  /// Remembers where the counters stand; from here on report() counts.
  void begin();
  /// Writes what was counted since begin(), scaled where a counter had to share the hardware.
  void report(measure::protocol::Program& to) const;

  int error() const { return error_; }

 private:
  struct Value {
    unsigned long long count, enabled, running;
  };
  static bool read_value(int file, Value& value);

  int files_[measure::protocol::count_kinds] = {-1, -1, -1, -1, -1, -1, -1};
  bool refused_[measure::protocol::count_kinds] = {};
  Value start_[measure::protocol::count_kinds] = {};
  int error_ = 0;
};

}  // namespace assay::launcher
