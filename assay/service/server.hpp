#pragma once

#include <sched.h>
#include <sys/types.h>

#include <csignal>
#include <cstdint>
#include <optional>
#include <set>
#include <stop_token>
#include <string>
#include <vector>

#include "assay/measure/process.hpp"
#include "assay/service/http_transport.hpp"

namespace assay::service {

/// When a server counts as ready, within `timeout` seconds: a request for `path` has a reply of this status,
/// or its output matches `log` (RE2, multi-line), or, where both are empty, it takes connections.
struct Readiness {
  std::string path;
  int status = 200;
  std::string log;
  double timeout = 30;
};

/// A server and how it is to be treated.
struct ServerSpec {
  measure::Command command;
  Address address;
  Readiness ready;
  int stop_signal = SIGTERM;
  double grace = 5;  ///< seconds from that signal until it is killed
};

/// One life of a server: started, awaited, asked to end. It ends at the latest with this object, with
/// everything that it started. One thread at a time.
class Server {
 public:
  Server(measure::Launcher& launcher, ServerSpec serving);

  /// Starts it and waits until it is ready and alone on its port. Why it is not, in words, with the end of
  /// its log; empty when it is.
  std::optional<std::string> start(const std::stop_token& stop);

  /// Whether start() failed because another program has its port, wholly or too.
  bool port_taken() const { return lost_port_; }

  const Address& address() const { return serving_.address; }
  double start_seconds() const { return start_seconds_; }  ///< until it was ready

  bool still_runs() { return running_ && running_->still_runs(); }

  /// CPU seconds used by it and what it started, up to now. Takes a look at all processes of the machine.
  double cpu() const;

  /// Asks it to end, and waits for that. To be called once, after start().
  measure::ProcessResult stop(const std::stop_token& stop);

  /// The last lines of what it wrote, each after a line break.
  std::string log_tail() const;

 private:
  bool listens() const;
  bool answers_now() const;
  std::optional<std::string> port_owner();

  measure::Launcher& launcher_;
  ServerSpec serving_;
  std::optional<measure::RunningProcess> running_;
  double start_seconds_ = 0;
  bool lost_port_ = false;
};

/// The processes of a session that live now: a server with everything it started, but for those that made a
/// session of their own. Cost: a look at every process of the machine.
std::vector<pid_t> processes_of(pid_t session);

/// CPU seconds that these processes have used up to now, with the children that they have waited for. Those
/// of living processes are exact, those of children by the kernel's ticks.
double cpu_of(const std::vector<pid_t>& processes);

/// The inodes of the sockets that these processes hold.
std::set<std::uint64_t> sockets_of(const std::vector<pid_t>& processes);

/// Keeps the calling thread on one core as long as this object lives, so that who sends requests and who
/// answers them don't push each other about. Does nothing where the kernel refuses. To be ended by the thread
/// that made it.
class ScopedAffinity {
 public:
  explicit ScopedAffinity(int core);
  ~ScopedAffinity();
  ScopedAffinity(const ScopedAffinity&) = delete;
  ScopedAffinity& operator=(const ScopedAffinity&) = delete;

 private:
  cpu_set_t before_{};
  bool pinned_ = false;
};

}  // namespace assay::service
