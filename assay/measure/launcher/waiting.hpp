#pragma once

#include <sys/types.h>

#include <cstdint>

#include "assay/measure/launcher/protocol.hpp"

/// Waiting for programs to end, with the time limit kept and the socket heard.
namespace assay::launcher {

/// Processes that are waited for together.
struct Waited {
  int count = 0;
  int pidfds[measure::protocol::most_programs];
  std::int64_t ended[measure::protocol::most_programs];  ///< when; 0: not yet
};

/// Sleeps until each has ended, or the time limit has ended them.  Marks
/// `timed_out` in those that were still running then. Clears up and exits when the socket is closed.
inline void wait_for_all(Waited& waited, const measure::protocol::Request& request, std::int64_t start,
                         measure::protocol::Reply& reply);

}  // namespace assay::launcher

// ---

#include <poll.h>
#include <sys/socket.h>

#include <csignal>
#include <ctime>

#include "assay/measure/launcher/start.hpp"
#include "assay/measure/launcher/tree.hpp"
#include "assay/measure/launcher/usage.hpp"

namespace assay::launcher {

inline void wait_for_all(Waited& waited, const measure::protocol::Request& request, std::int64_t start,
                         measure::protocol::Reply& reply) {
  using namespace measure::protocol;
  enum { running, asked, forced } state = running;
  std::int64_t deadline = start + request.timeout_ns;
  int left = waited.count;
  pollfd watched[most_programs + 1];
  for (int i = 0; i < waited.count; ++i) {
    watched[i] = {waited.pidfds[i], POLLIN, 0};
    left -= waited.pidfds[i] < 0 ? 1 : 0;
  }
  watched[waited.count] = {launcher_socket, POLLIN, 0};
  const auto ask = [&](std::int64_t now) {
    signal_everything(SIGTERM);
    state = asked;
    deadline = now + request.grace_ns;
  };
  while (left > 0) {
    const std::int64_t time = deadline - now_ns();
    const timespec limit{time > 0 ? time / 1'000'000'000 : 0, time > 0 ? time % 1'000'000'000 : 0};
    for (int i = 0; i <= waited.count; ++i) watched[i].revents = 0;
    ppoll(watched, static_cast<nfds_t>(waited.count) + 1, state == forced ? nullptr : &limit, nullptr);
    const std::int64_t now = now_ns();
    bool any = false;
    for (int i = 0; i < waited.count; ++i)
      if (watched[i].revents != 0) {
        waited.ended[i] = now;
        watched[i].fd = -1;
        any = true;
        --left;
      }
    if (any) continue;
    if (watched[waited.count].revents != 0) {
      Request heard;
      const auto got = recv(launcher_socket, &heard, sizeof heard, MSG_DONTWAIT);
      if (got == 0) clear_and_exit();
      if (got == sizeof heard && heard.kind == Kind::cancel && state == running) {
        reply.cancelled = 1;
        ask(now);
      }
    } else if (now >= deadline && state == running) {
      for (int i = 0; i < waited.count; ++i)
        if (waited.ended[i] == 0) reply.each[static_cast<unsigned>(i)].timed_out = 1;
      ask(now);
    } else if (now >= deadline && state == asked) {
      signal_everything(SIGKILL);
      state = forced;
    }
  }
}

}  // namespace assay::launcher
