#pragma once

#include <array>
#include <cstdint>
#include <functional>
#include <memory>
#include <span>
#include <string>
#include <utility>
#include <vector>

namespace assay::measure {

/// Where code is that was sampled.
struct CodePlace {
  std::string file;          ///< that it was mapped from; "//anon" and the like where it was made at run time
  std::string build_id;      ///< of that file as it was mapped, hexadecimal; empty where it has none
  std::uint64_t offset = 0;  ///< in the file; an address where there is no file
  int process = 0;           ///< its id, of code that was made at run time; else 0
  bool in_program = false;   ///< the file is the program that the process runs, and no library

  auto operator<=>(const CodePlace&) const = default;
};

/// A thread's registers, and as much of its stack as was copied, at the moment of a sample. x86-64 only.
struct StackCopy {
  static constexpr std::size_t instruction = 16, stack_pointer = 7;
  /// As the psABI numbers them for debuggers (rax, rdx, rcx, rbx, rsi, rdi, rbp, rsp, r8 … r15); then where it is.
  std::array<std::uint64_t, 17> registers{};
  std::span<const std::uint8_t> stack;  ///< from the stack pointer on
};

/// Finds who called the code of a library.
class CallerFinder {
 public:
  /// Where the code at an address is, of the sampled process at that time; without a file where nothing is mapped.
  using PlaceOf = std::function<CodePlace(std::uint64_t address)>;

  virtual ~CallerFinder() = default;
  /// The calls that led to the sampled code, the nearest first, one for each file that was entered: up to the program
  /// itself, or as far as the copy reaches.
  virtual std::vector<CodePlace> callers(const StackCopy& copy, const PlaceOf& place_of) = 0;
};

/// How a program's CPU time is sampled, by the kernel's task clock: where it is, each time it has used so much.
/// User space only, without counters; as an ordinary user where kernel.perf_event_paranoid is 2 or less. A
/// sample costs about 5 µs of the program's CPU time (docs/evidence.md).
struct Sampling {
  std::int64_t period_ns = 250'000;
  /// CPU time that is spun away before the program begins, so that the first sample does not always come after
  /// a whole period; from 0 to below the period. A program with a beat of its own is seen in one phase of it
  /// only, unless period and phase are drawn anew.
  std::int64_t phase_ns = 0;
  /// Where it is there, only samples count that were taken within these stretches: seconds as CLOCK_MONOTONIC has them,
  /// in order. They may be written down while the program runs, by the thread that waits for it.
  std::shared_ptr<std::vector<std::pair<double, double>>> within;
  /// Asked for the callers of each sample in a library, after the program's end, by the thread that waits for it; none:
  /// no stacks are copied. Copies cost about 0.3 % more at 4 000 samples a second (docs/evidence.md).
  std::shared_ptr<CallerFinder> callers;
};

/// Code that was sampled, and how often.
struct SampledPlace : CodePlace {
  std::vector<CodePlace> callers;  ///< of code in a library: see CallerFinder::callers()
  std::uint64_t samples = 0;
};

/// What was sampled of one program, all its processes and threads together.
struct CodeSamples {
  std::vector<SampledPlace> places;  ///< in ascending order
  double period = 0;                 ///< seconds of CPU time between samples
  std::uint64_t taken = 0;
  std::uint64_t lost = 0;  ///< since a ring was full: of all programs of the batch, with the first of them
  std::string problem;     ///< why nothing could be sampled, in words; else empty
};

class SampleRing;

/// Samples what a launcher process starts, from its making until end(). One thread at a time.
class Sampler {
 public:
  /// `launcher` is the process that starts the programs; `cores`: those that they may run on, one ring in
  /// memory each. What the system refuses is a problem() and no error.
  Sampler(int launcher, std::span<const int> cores, const Sampling& how);
  ~Sampler();
  Sampler(const Sampler&) = delete;
  Sampler& operator=(const Sampler&) = delete;

  /// To be called several times a second while programs run: a ring that is full loses samples.
  void relieve();
  /// How often, in milliseconds, so that no ring is full before: 10 to 100.
  int relief_interval() const;
  /// After the end of the programs, which had these process ids. To be called once.
  std::vector<CodeSamples> end(std::span<const int> pids);

  const std::string& problem() const { return problem_; }

 private:
  bool counts(std::uint64_t time) const;

  Sampling how_;
  std::vector<std::unique_ptr<SampleRing>> rings_;
  std::string problem_;
};

/// Samples the thread that makes it, from then until end(), which runs several programs in this process in turns. To be
/// used by that thread alone. What the system refuses is a problem() and no error.
class ThreadSampler {
 public:
  explicit ThreadSampler(const Sampling& how);
  ~ThreadSampler();
  ThreadSampler(const ThreadSampler&) = delete;
  ThreadSampler& operator=(const ThreadSampler&) = delete;

  /// What ran from `begin` until before `end`, in nanoseconds as CLOCK_MONOTONIC has them.
  struct Stretch {
    std::uint64_t begin = 0, end = 0;
    std::size_t program = 0;
  };

  /// To be called ten times a second or more.
  void relieve();
  /// What was sampled in each program's stretches, which are in the order of time. To be called once. Cost: as
  /// Sampler's.
  std::vector<CodeSamples> end(std::span<const Stretch> stretches, std::size_t programs);

  const std::string& problem() const { return problem_; }

 private:
  Sampling how_;
  std::unique_ptr<SampleRing> ring_;
  std::string problem_;
};

}  // namespace assay::measure
