#pragma once

#include <memory>
#include <mutex>
#include <stop_token>
#include <string>
#include <vector>

#include "assay/measure/launcher_connection.hpp"
#include "assay/measure/launcher_request.hpp"

namespace assay::measure {

/// The launcher processes of one Launcher: each runs one batch at a time, and those that are free are used
/// again. May be called from several threads at once.
class LauncherPool {
 public:
  /// `patience` in seconds, see Launcher.
  explicit LauncherPool(double patience) : patience_(patience) {}

  /// A free one, or a new one. Throws Error(measuring) when none can be started.
  std::unique_ptr<LauncherConnection> acquire();
  /// One that has taken the batch.
  std::unique_ptr<LauncherConnection> send(LauncherRequest& exchange);
  void release(std::unique_ptr<LauncherConnection> link);

  /// Sends a batch through a launcher process and waits for its end. One that was ended while it was idle is
  /// replaced.
  std::vector<ProcessResult> run(LauncherRequest& exchange, const std::stop_token& stop);

  /// Waits for the end of a batch that was sent to `link`, at most `allowance` seconds beyond which patience
  /// is at its end too, and gives the link back. A launcher process that has gone, or does not answer in
  /// time, is ended with all that it runs; the results then say so (ProcessResult::lost).
  std::vector<ProcessResult> finish(std::unique_ptr<LauncherConnection> link, LauncherRequest& exchange,
                                    double allowance, const std::stop_token& stop);

  std::string counting_problem() const;

 private:
  const double patience_;
  mutable std::mutex lock_;  ///< guards what follows
  std::vector<std::unique_ptr<LauncherConnection>> free_;
  std::string counting_problem_;
};

}  // namespace assay::measure
