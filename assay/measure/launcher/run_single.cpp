#include "assay/measure/launcher/run_single.hpp"

#include <sys/socket.h>
#include <sys/wait.h>
#include <unistd.h>

#include <cerrno>

#include "assay/measure/launcher/resource_usage.hpp"
#include "assay/measure/launcher/wait.hpp"

namespace assay::launcher {

using namespace measure::protocol;

namespace {

[[noreturn]] void become(const Start& start, const Request& request, Failure& failure) {
  if (prepare(start, request, failure)) execute(start, request, failure);
  _exit(127);
}

}  // namespace

void run_single(const Start& start, const Request& request, Counters& counters, Reply& reply) {
  static Failure failure;  // after vfork parent and child share their memory
  auto& result = reply.each[0];
  failure.error = 0;
  failure.step = Step::none;
  counters.open(request.counting);
  counters.begin();
  const std::int64_t began = now_ns();
  // vfork, since this program must not grow: the child does nothing but become the program.
  const pid_t pid = vfork();                      // NOLINT(clang-analyzer-security.insecureAPI.vfork)
  if (pid == 0) become(start, request, failure);  // NOLINT(clang-analyzer-unix.Vfork)
  if (pid < 0) {
    result.failed_step = Step::spawn;
    result.error = errno;
    return;
  }
  if (failure.step != Step::none) {
    waitpid(pid, nullptr, 0);
    result.failed_step = failure.step;
    result.error = failure.error;
    return;
  }
  if (request.announce != 0) {
    const Started started{.pid = pid};
    send(launcher_socket, &started, sizeof started, MSG_NOSIGNAL);
  }
  Waited waited{.count = 1, .pids = {pid}, .ended = {}};
  wait_for_all(waited, request, began, reply);
  result.wall_ns = waited.ended[0] - began;
  reap(pid, &result.status, result);
  clear_orphans(&result, &pid, 1);
  counters.report(result);
}

}  // namespace assay::launcher
