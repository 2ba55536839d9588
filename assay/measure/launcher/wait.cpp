#include "assay/measure/launcher/wait.hpp"

#include <poll.h>
#include <sys/socket.h>
#include <sys/syscall.h>
#include <sys/wait.h>
#include <unistd.h>

#include <csignal>
#include <ctime>

#include "assay/measure/launcher/process_tree.hpp"
#include "assay/measure/launcher/resource_usage.hpp"
#include "assay/measure/launcher/start_program.hpp"

namespace assay::launcher {

using namespace measure::protocol;

namespace {

void on_child(int) {}

/// While it lives, the end of a child interrupts a ppoll() with `outside` as its mask, and no earlier.
class ChildSignals {
 public:
  ChildSignals() {
    struct sigaction action {};
    action.sa_handler = on_child;
    sigaction(SIGCHLD, &action, nullptr);
    sigset_t child;
    sigemptyset(&child);
    sigaddset(&child, SIGCHLD);
    sigprocmask(SIG_BLOCK, &child, &outside);
  }
  ~ChildSignals() {
    signal(SIGCHLD, SIG_DFL);
    sigprocmask(SIG_SETMASK, &outside, nullptr);
  }
  ChildSignals(const ChildSignals&) = delete;
  ChildSignals& operator=(const ChildSignals&) = delete;

  sigset_t outside;
};

bool has_ended(pid_t pid) {
  siginfo_t ended{};
  return waitid(P_PID, static_cast<id_t>(pid), &ended, WEXITED | WNOWAIT | WNOHANG) == 0 &&
         ended.si_pid == pid;
}

class Waiting {
 public:
  Waiting(Waited& waited, const Request& request, std::int64_t start, Reply& reply)
      : waited_(waited), request_(request), reply_(reply), deadline_(start + request.timeout_ns) {
    for (int i = 0; i < waited.count; ++i) {
      watched_[i] = {static_cast<int>(syscall(SYS_pidfd_open, waited.pids[i], 0)), POLLIN, 0};
      any_without_ = any_without_ || watched_[i].fd < 0;
    }
    watched_[waited.count] = {launcher_socket, POLLIN, 0};
  }

  void run() {
    if (any_without_) {
      const ChildSignals signals;
      while (!all_ended_without()) sleep(&signals.outside);
    } else {
      while (left_ > 0) sleep(nullptr);
    }
  }

 private:
  bool all_ended_without() {
    const auto now = now_ns();
    for (int i = 0; i < waited_.count; ++i)
      if (waited_.ended[i] == 0 && has_ended(waited_.pids[i])) end(i, now);
    return left_ == 0;
  }

  void end(int i, std::int64_t now) {
    waited_.ended[i] = now;
    if (watched_[i].fd >= 0) close(watched_[i].fd);
    watched_[i].fd = -1;
    --left_;
  }

  /// Until something happens, and acts on it.
  void sleep(const sigset_t* mask) {
    const std::int64_t time = deadline_ - now_ns();
    const timespec limit{time > 0 ? time / 1'000'000'000 : 0, time > 0 ? time % 1'000'000'000 : 0};
    for (int i = 0; i <= waited_.count; ++i) watched_[i].revents = 0;
    const int happened =
        ppoll(watched_, static_cast<nfds_t>(waited_.count) + 1, state_ == forced ? nullptr : &limit, mask);
    const std::int64_t now = now_ns();
    bool any = false;
    for (int i = 0; i < waited_.count && happened > 0; ++i)
      if (watched_[i].fd >= 0 && watched_[i].revents != 0) {
        end(i, now);
        any = true;
      }
    if (any || happened < 0) return;
    if (watched_[waited_.count].revents != 0)
      hear(now);
    else if (now >= deadline_)
      be_firmer(now);
  }

  void hear(std::int64_t now) {
    Request heard;
    const auto got = recv(launcher_socket, &heard, sizeof heard, MSG_DONTWAIT);
    if (got == 0) clear_and_exit();
    if (got != sizeof heard || state_ == forced) return;
    if (heard.kind == Kind::cancel && reply_.cancelled == 0) {
      reply_.cancelled = 1;
      ask(now);
    } else if (heard.kind == Kind::stop && state_ == running) {
      for (int i = 0; i < waited_.count; ++i)
        if (waited_.ended[i] == 0) {
          kill(waited_.pids[i], heard.signal);
          kill(waited_.pids[i], SIGCONT);  // a stopped process sees no signal but KILL
        }
      state_ = asked;
      deadline_ = now + heard.grace_ns;
    }
  }

  void ask(std::int64_t now) {
    signal_everything(SIGTERM);
    state_ = asked;
    deadline_ = now + request_.grace_ns;
  }

  void be_firmer(std::int64_t now) {
    if (state_ == running) {
      for (int i = 0; i < waited_.count; ++i)
        if (waited_.ended[i] == 0) reply_.each[static_cast<unsigned>(i)].timed_out = 1;
      ask(now);
    } else if (state_ == asked) {
      kill_below(getpid());
      state_ = forced;
    }
  }

  Waited& waited_;
  const Request& request_;
  Reply& reply_;
  std::int64_t deadline_;
  enum { running, asked, forced } state_ = running;
  int left_ = waited_.count;
  bool any_without_ = false;
  pollfd watched_[most_programs + 1];
};

}  // namespace

void wait_for_all(Waited& waited, const Request& request, std::int64_t start, Reply& reply) {
  Waiting(waited, request, start, reply).run();
}

}  // namespace assay::launcher
