#pragma once

#include <sys/types.h>

#include <cstdint>
#include <map>
#include <string>
#include <utility>
#include <vector>

#include "assay/measure/sample_records.hpp"
#include "assay/measure/sampling.hpp"

namespace assay::measure {

/// Follows which process is of which program and what it has mapped where, and counts samples by place.
class SampleCounting {
 public:
  /// Of so many programs. `finder` may be null.
  SampleCounting(std::size_t programs, CallerFinder* finder) : counted_(programs), finder_(finder) {}

  /// From now on a process is of this program. That a program's first process was made is not always reported: only where
  /// the launcher ran on a core with a ring.
  void set_program(pid_t process, std::size_t program) { processes_[process].program = program; }

  /// In the order of time.
  void take(const Event& event);

  /// By program.
  std::vector<CodeSamples> results(const Sampling& how, std::uint64_t lost) const;

 private:
  struct Mapped {
    std::uint64_t bytes = 0, offset = 0;
    std::string file, build_id;
  };
  struct Process {
    std::size_t program = 0;
    bool runs = false;         ///< a program: before, it is the launcher's own code
    std::string program_file;  ///< the first that the kernel mapped
    std::map<std::uint64_t, Mapped> mapped;
  };

  static void map(Process& process, const Event& event);
  static CodePlace place_of(const Process& process, pid_t pid, std::uint64_t address);
  void sample(const Event& event);

  std::map<pid_t, Process> processes_;
  std::vector<std::map<std::pair<CodePlace, std::vector<CodePlace>>, std::uint64_t>> counted_;
  CallerFinder* finder_;
};

}  // namespace assay::measure
