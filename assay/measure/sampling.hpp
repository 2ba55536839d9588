#pragma once

#include <cstdint>
#include <memory>
#include <span>
#include <string>
#include <utility>
#include <vector>

namespace assay::measure {

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
};

/// Where code is that was sampled.
struct CodePlace {
  std::string file;          ///< that it was mapped from; "//anon" and the like where it was made at run time
  std::string build_id;      ///< of that file as it was mapped, hexadecimal; empty where it has none
  std::uint64_t offset = 0;  ///< in the file; an address where there is no file
  int process = 0;           ///< its id, of code that was made at run time; else 0
  std::uint64_t samples = 0;

  auto operator<=>(const CodePlace&) const = default;
};

/// What was sampled of one program, all its processes and threads together.
struct CodeSamples {
  std::vector<CodePlace> places;  ///< in ascending order
  double period = 0;              ///< seconds of CPU time between samples
  std::uint64_t taken = 0;
  std::uint64_t lost = 0;  ///< since a ring was full: of all programs of the batch, with the first of them
  std::string problem;     ///< why nothing could be sampled, in words; else empty
};

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
  /// After the end of the programs, which had these process ids. To be called once.
  std::vector<CodeSamples> end(std::span<const int> pids);

  const std::string& problem() const { return problem_; }

 private:
  class Ring;
  bool counts(std::uint64_t time) const;

  Sampling how_;
  std::vector<std::unique_ptr<Ring>> rings_;
  std::string problem_;
};

}  // namespace assay::measure
