#pragma once

#include <memory>
#include <span>
#include <vector>

#include "assay/measure/launcher_connection.hpp"
#include "assay/measure/process.hpp"

namespace assay::measure {

/// One batch on its way through a launcher process: the captures it writes to, the request that goes out, and
/// the results that its reply stands for.
class LauncherRequest {
 public:
  /// REQUIRES: 1 to Launcher::most_abreast commands, which outlive it. Throws Error(measuring) when no memory
  /// file can be had.
  explicit LauncherRequest(std::span<const Command> commands);

  void ask_for_counters();                  ///< those that the first command names
  void pin(const std::vector<int>& cores);  ///< none: not pinned
  /// At once on one core, by slices of so many seconds where the kernel can; 0: its own.
  void release_together(double slice);
  /// One at a time, for so many seconds each.
  void take_turns(double slice, std::uint64_t seed);
  void announce() { request_.announce = 1; }

  /// Sampling begins here, where the first command asks for it. Throws Error(measuring) when the launcher
  /// process does not listen.
  void send(const LauncherConnection& link);

  /// To be called several times a second while the programs run, see Capture::drain() and Sampler::relieve().
  void relieve();
  int relief_interval() const;  ///< between two calls of relieve(), in milliseconds

  /// Seconds from now until the last of the programs must have ended, by their time limits.
  double time_limit() const;
  double grace() const;  ///< the longest of the programs'

  /// To be called once.
  std::vector<ProcessResult> results(const protocol::Reply& reply);
  /// The same in place of a reply that never came.
  std::vector<ProcessResult> lost_results(const std::string& why);

  const Capture* out() const { return results_.front().out.get(); }
  const Capture* err() const { return results_.front().err.get(); }

 private:
  std::span<const Command> commands_;
  std::vector<ProcessResult> results_;
  protocol::Request request_;
  Descriptor texts_;
  std::vector<int> descriptors_, cores_;
  std::unique_ptr<Sampler> sampler_;
};

}  // namespace assay::measure
