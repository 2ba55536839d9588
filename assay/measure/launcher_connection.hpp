#pragma once

#include <sys/types.h>

#include <optional>
#include <span>
#include <stop_token>
#include <string>

#include "assay/measure/file_io.hpp"
#include "assay/measure/launcher/protocol.hpp"

namespace assay::measure {

/// Throws Error(measuring) that says `what` and errno's text.
[[noreturn]] void fail_launching(const std::string& what);

/// A file in memory. Throws Error when there can be none.
Descriptor memory_file(const char* name, bool executable);
void write_all(int fd, const void* bytes, std::size_t count);

/// A memory file that holds the launcher's program.
Descriptor launcher_image();

class LauncherRequest;

/// A launcher process and the socket to it. One batch at a time.
class LauncherConnection {
 public:
  /// `patience` in seconds, see Launcher. Throws Error(measuring) when it can't be started.
  explicit LauncherConnection(double patience);
  ~LauncherConnection();  ///< ends what still runs
  LauncherConnection(const LauncherConnection&) = delete;
  LauncherConnection& operator=(const LauncherConnection&) = delete;

  void send_run(const protocol::Request& request, std::span<const int> fds) const;

  /// Waits until the program of a batch that is announced runs; its process id, or none when it could not be
  /// started. Throws Error(measuring) when that takes longer than the patience.
  std::optional<pid_t> started();

  pid_t pid() const { return pid_; }

  /// Whether the batch's reply is there, or the launcher process has gone.
  bool has_answered() const;

  /// Asks the batch's programs to end, see RunningProcess::stop().
  void request_stop(int signal_number, double grace) const;

  /// Waits for the reply; relieves the captures now and then, and passes a stop request on, once. Throws
  /// Error(measuring) when there is none within `allowance` seconds and the patience, or the launcher process
  /// has gone; everything it ran is ended then.
  protocol::Reply wait(LauncherRequest& exchange, double allowance, const std::stop_token& stop);

 private:
  void spawn(int image, int their_socket);
  void kill() noexcept;
  [[noreturn]] void fail(const std::string& what, const std::string& remedy);

  Descriptor socket_;
  pid_t pid_ = -1;
  double patience_;
};

}  // namespace assay::measure
