#pragma once

#include <array>
#include <cstdint>

/// What Assay and its launcher say to each other: one packet each way per batch, over a SEQPACKET socket, and
/// a second one back where the request asks for a message when the program has started.
///
/// A batch is one program, or several that run abreast or in slices. A request carries descriptors: a memfd
/// with the text block, then for each program where its stdout, its stderr and its samples (descriptor 3) go.
/// The text block is, for each program, its ProgramHead and then NUL-ended texts: working directory, program,
/// stdin file, the cgroup file to join (or nothing), its arguments, its environment entries. Cancel and stop
/// requests carry nothing and get no reply of their own: the running batch's reply comes early.
namespace assay::measure::protocol {

inline constexpr int launcher_socket = 3;
inline constexpr int most_programs = 16;
inline constexpr int streams = 3;  ///< of each program: stdout, stderr, samples
inline constexpr int most_descriptors = 1 + streams * most_programs;
inline constexpr int most_cores = 1024;

enum class Kind : std::uint32_t {
  run = 1,
  cancel,  ///< TERM to everything, KILL after the batch's own grace
  stop     ///< `signal` to the programs themselves, which end their children; KILL to everything after
           ///< `grace_ns`
};

/// Which step of starting a program failed.
enum class Step : std::int32_t {
  none = 0,
  directory,
  input,
  exec,
  spawn,
  request,
  pin,
  nice,
  limit,
  cgroup,
  peer
};

/// What the kernel's event counters can tell, in the order of Program::counts.
enum Count : std::uint32_t {
  task_clock,  ///< nanoseconds of CPU time; the only one that needs no hardware
  instructions,
  cycles,
  branches,
  branch_misses,
  cache_references,
  cache_misses,
  count_kinds
};

/// How the programs of a batch run.
enum class Together : std::uint32_t {
  alone,    ///< there is one
  abreast,  ///< released together, compared by CPU time
  sliced    ///< one at a time runs, for a slice, in a new random order in each pass; the others are stopped
};

struct ProgramHead {
  std::uint32_t arguments = 0;
  std::uint32_t variables = 0;
  std::uint64_t text_bytes = 0;  ///< of its texts, which follow
};

struct Request {
  Kind kind = Kind::run;
  std::uint32_t programs = 1;
  Together together = Together::alone;
  std::uint32_t samples = 0;   ///< 1: the programs get their samples descriptor
  std::uint32_t announce = 0;  ///< 1: Started is sent once the program runs
  std::int32_t signal = 0;     ///< of a stop
  std::uint32_t counting = 0;  ///< bit set over Count
  std::int32_t nice = 0;       ///< added to the niceness
  std::uint32_t pinned = 0;    ///< 1: to `cores`
  std::uint32_t unused = 0;    ///< in place of padding, which would be sent as it is
  std::array<std::uint64_t, most_cores / 64> cores{};
  std::uint64_t text_bytes = 0;
  std::int64_t memory_limit = 0;  ///< bytes of data per process; 0: none
  std::int64_t file_limit = 0;    ///< bytes of a file that is written; 0: none
  std::int64_t timeout_ns = 0;    ///< until everything is asked to end
  std::int64_t grace_ns = 0;      ///< from then until it is made to
  /// Sliced: how long one runs. Abreast: how long the kernel is asked to let each run before it looks for
  /// another (Linux 6.12); 0: as it does by itself.
  std::int64_t slice_ns = 0;
  std::uint64_t seed = 0;     ///< of the order of slices
  std::int64_t phase_ns = 0;  ///< CPU time that each spins away before it becomes its program
};

/// Says that the program of a batch runs; none comes when it could not be started.
struct Started {
  std::int32_t pid = 0;
};

/// Of every counter, that it was not on.
constexpr std::array<double, count_kinds> not_counted() {
  std::array<double, count_kinds> none{};
  for (auto& count : none) count = -1;
  return none;
}

/// How one program went.
struct Program {
  Step failed_step = Step::none;
  std::int32_t error = 0;   ///< errno of the failed step
  std::int32_t status = 0;  ///< of the main process, as wait4 gives it
  std::int32_t orphans = 0;
  std::int32_t pid = 0;  ///< it had
  std::uint32_t timed_out = 0;
  std::int64_t wall_ns = 0;                 ///< sliced: of its slices
  std::int64_t user_us = 0, system_us = 0;  ///< main process, its waited-for children, and adopted orphans
  std::int64_t peak_kib = 0;                ///< of the largest process
  std::int64_t faults_minor = 0, faults_major = 0;
  std::int64_t switches_voluntary = 0, switches_involuntary = 0;
  std::int64_t core_wait_ns = -1;  ///< ready to run while others had the core, as far as known; −1: unknown
  std::int64_t read_bytes = -1, written_bytes = -1;        ///< through system calls; −1: unknown
  std::array<double, count_kinds> counts = not_counted();  ///< scaled to the whole time; −1: not counted
  double counted_share = 1;                                ///< of the time that the scarcest counter was on
};

struct Reply {
  std::uint32_t cancelled = 0;
  std::uint32_t left_group =
      0;  ///< 1: sliced, a process was in no program's group, so that it was not stopped
  std::uint32_t programs = 0;
  std::int32_t counting_error = 0;  ///< errno of the first counter that was refused
  std::array<Program, most_programs> each{};
};

}  // namespace assay::measure::protocol
