#pragma once

#include <cstdint>

/// What Assay and its launcher say to each other: one packet each way per trial, over a SEQPACKET socket.
///
/// A request carries three descriptors: a memfd with the text block, and where stdout and stderr go. The text
/// block is NUL-ended texts one after the other: working directory, program, stdin file, then `arguments`
/// arguments and `variables` environment entries. A cancel request carries nothing and gets no reply of its
/// own: the running trial's reply comes early.
namespace assay::measure::protocol {

inline constexpr int launcher_socket = 3;
inline constexpr int descriptors = 3;

enum class Kind : std::uint32_t { run = 1, cancel = 2 };

/// Which step of starting a program failed.
enum class Step : std::int32_t { none = 0, directory, input, exec, spawn, request };

struct Request {
  Kind kind = Kind::run;
  std::uint32_t arguments = 0;
  std::uint32_t variables = 0;
  std::uint64_t text_bytes = 0;
  std::int64_t timeout_ns = 0;  ///< until everything is asked to end
  std::int64_t grace_ns = 0;    ///< from then until it is made to
};

struct Reply {
  Step failed_step = Step::none;
  std::int32_t error = 0;   ///< errno of the failed step
  std::int32_t status = 0;  ///< of the main process, as wait4 gives it
  std::int32_t leftovers = 0;
  std::uint32_t timed_out = 0;
  std::uint32_t cancelled = 0;
  std::int64_t wall_ns = 0;
  std::int64_t user_us = 0, system_us = 0;  ///< main process, its waited-for children, and adopted orphans
  std::int64_t peak_kib = 0;                ///< of the largest process
  std::int64_t faults_minor = 0, faults_major = 0;
  std::int64_t switches_voluntary = 0, switches_involuntary = 0;
};

}  // namespace assay::measure::protocol
