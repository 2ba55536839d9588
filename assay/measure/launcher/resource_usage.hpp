#pragma once

/// What ended processes have used, and the waiting for them.
/// The kernel's event counters (perf_event_open(2)). They are opened disabled and inherited and switched on
/// by exec, so that they count the program and its children from its first instruction and nothing before;
/// with the kernel excluded, which needs no privilege.

#include <sys/types.h>

#include "assay/measure/launcher/protocol.hpp"

namespace assay::launcher {

using measure::protocol::Program;

/// Reaps a child that has ended and adds what it used to `used`: CPU time, memory, faults and switches as
/// wait4 tells them; the bytes it read and wrote, which the kernel adds to the reaping parent's own account
/// at that moment; and how long it waited for a core, of its main thread, without what children of its own
/// waited. Returns wait4's result.
pid_t reap(pid_t pid, int* status, Program& used);

/// Reaps orphans that have ended, kills those that have not, until there is no child left. What ends after
/// the first kill is counted as left over. Each is booked to the one of `programs` (their process ids in
/// `pids`) whose session it is in, or to the first.
void clear_orphans(Program* programs, const pid_t* pids, int count);

[[noreturn]] void clear_and_exit();

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
