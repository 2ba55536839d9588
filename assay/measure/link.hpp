#pragma once

#include <sys/types.h>

#include <span>

#include "assay/measure/descriptor.hpp"
#include "assay/measure/launcher/protocol.hpp"
#include "assay/measure/process.hpp"

namespace assay::measure {

/// Throws Error(measuring) that says `what` and errno's text.
[[noreturn]] void fail_launching(const std::string& what);

/// A file in memory. Throws Error when there can be none.
Descriptor memory_file(const char* name, bool executable);
void write_all(int fd, const void* bytes, std::size_t count);

/// A memory file that holds the launcher's program.
Descriptor launcher_image();

/// The launcher process and the socket to it.
class Launcher::Link {
 public:
  Link();
  ~Link();
  Link(const Link&) = delete;
  Link& operator=(const Link&) = delete;

  void send_run(const protocol::Request& request, std::span<const int> fds) const;
  /// Waits for the reply; relieves the captures now and then, and passes a stop request on, once.
  protocol::Reply wait(std::span<ProcessResult> results, int stop_event) const;

 private:
  void spawn(int image, int their_socket);

  Descriptor socket_;
  pid_t pid_ = -1;
};

}  // namespace assay::measure
