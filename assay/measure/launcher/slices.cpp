#include "assay/measure/launcher/slices.hpp"

#include <poll.h>
#include <sys/socket.h>
#include <sys/syscall.h>
#include <sys/wait.h>
#include <unistd.h>

#include <csignal>
#include <ctime>
#include <utility>

#include "assay/measure/launcher/process_tree.hpp"
#include "assay/measure/launcher/resource_usage.hpp"
#include "assay/measure/launcher/start_program.hpp"

namespace assay::launcher {

using namespace measure::protocol;

namespace {

class SlicedRun {
 public:
  SlicedRun(Waited& waited, const Request& request, Reply& reply)
      : waited_(waited), request_(request), reply_(reply), random_(request.seed | 1U) {
    for (int i = 0; i < waited.count; ++i) {
      handles_[i] = static_cast<int>(syscall(SYS_pidfd_open, waited.pids[i], 0));
      order_[i] = i;
      each(i).wall_ns = 0;
      if (!is_stopped(i)) end(i);
    }
  }
  ~SlicedRun() {
    for (int i = 0; i < waited_.count; ++i)
      if (handles_[i] >= 0) close(handles_[i]);
  }
  SlicedRun(const SlicedRun&) = delete;
  SlicedRun& operator=(const SlicedRun&) = delete;

  void run() {
    for (unsigned number = 1; left_ > 0 && reply_.cancelled == 0; ++number) {
      shuffle();
      for (int k = 0; k < waited_.count && reply_.cancelled == 0; ++k)
        if (waited_.ended[order_[k]] == 0) slice(order_[k]);
      // A look at all processes takes longer than a slice may be late: often at first, then now and then.
      constexpr unsigned often = 4, now_and_then = 16;
      if (left_ > 0 && reply_.left_group == 0 && (number <= often || number % now_and_then == 0))
        reply_.left_group = are_all_below_in(waited_.pids, waited_.count) ? 0 : 1;
    }
    if (left_ > 0) end_all();
  }

 private:
  Program& each(int i) { return reply_.each[static_cast<unsigned>(i)]; }

  void shuffle() {
    for (int i = waited_.count - 1; i > 0; --i) {
      random_ ^= random_ << 13U;
      random_ ^= random_ >> 7U;
      random_ ^= random_ << 17U;
      std::swap(order_[i], order_[random_ % static_cast<unsigned>(i + 1)]);
    }
  }

  void end(int i) {
    waited_.ended[i] = now_ns();
    --left_;
  }

  /// Waits until the main process has stopped itself before its first slice; false when it has ended instead.
  bool is_stopped(int i) const {
    siginfo_t changed{};
    const auto pid = static_cast<id_t>(waited_.pids[i]);
    while (waitid(P_PID, pid, &changed, WSTOPPED | WEXITED | WNOWAIT) != 0) {
    }
    return changed.si_code == CLD_STOPPED;
  }

  enum class State { stopped, ended, held_up };

  /// A parent that waits for its child's exec (vfork) can't stop before the child goes on, which is stopped too:
  /// neither runs, so that is as good as stopped. So is a process that waits for a disk.
  State state_after_stop(int i) const {
    constexpr std::int64_t patience = 10'000'000, step = 50'000;  // ns; a stop takes some 50 µs
    const auto until = now_ns() + patience;
    const auto pid = static_cast<id_t>(waited_.pids[i]);
    while (true) {
      siginfo_t changed{};
      if (waitid(P_PID, pid, &changed, WSTOPPED | WEXITED | WNOWAIT | WNOHANG) == 0 && changed.si_pid != 0)
        return changed.si_code == CLD_STOPPED ? State::stopped : State::ended;
      if (now_ns() >= until) return State::held_up;
      const timespec pause{0, step};
      nanosleep(&pause, nullptr);
    }
  }

  void slice(int i) {
    const pid_t group = -waited_.pids[i];
    const auto began = now_ns();
    take_stop_report(i);
    kill(group, SIGCONT);
    bool ended = ends_by(i, began + request_.slice_ns);
    auto over = now_ns();
    if (!ended) {
      kill(group, SIGSTOP);
      const auto state = state_after_stop(i);
      ended = state == State::ended;
      if (state != State::held_up) over = now_ns();
    }
    each(i).wall_ns += over - began;
    if (ended) {
      end(i);
    } else if (each(i).wall_ns >= request_.timeout_ns) {
      each(i).timed_out = 1;
      end_one(i);
    }
  }

  /// Or the next look would see the stop before this one.
  void take_stop_report(int i) const {
    siginfo_t stopped{};
    waitid(P_PID, static_cast<id_t>(waited_.pids[i]), &stopped, WSTOPPED | WNOHANG);
  }

  /// Sleeps until then; true as soon as it has ended. A cancel cuts it short.
  bool ends_by(int i, std::int64_t due) {
    while (true) {
      const auto time = due - now_ns();
      if (time <= 0) return false;
      const timespec limit{time / 1'000'000'000, time % 1'000'000'000};
      pollfd watched[2] = {{handles_[i], POLLIN, 0}, {launcher_socket, POLLIN, 0}};
      if (ppoll(watched, 2, &limit, nullptr) <= 0) continue;
      if (watched[0].revents != 0) return true;
      if (watched[1].revents != 0 && is_cancelled()) return false;
    }
  }

  bool is_cancelled() {
    Request heard;
    const auto got = recv(launcher_socket, &heard, sizeof heard, MSG_DONTWAIT);
    if (got == 0) clear_and_exit();
    if (got == sizeof heard && heard.kind == Kind::cancel) reply_.cancelled = 1;
    return reply_.cancelled != 0;
  }

  /// Asks this one to end, then makes it.
  void end_one(int i) {
    kill(-waited_.pids[i], SIGTERM);
    kill(-waited_.pids[i], SIGCONT);
    if (!ends_by(i, now_ns() + request_.grace_ns)) kill(-waited_.pids[i], SIGKILL);
    await_end(i);
  }

  void end_all() {
    signal_everything(SIGTERM);
    const auto due = now_ns() + request_.grace_ns;
    for (int i = 0; i < waited_.count; ++i)
      if (waited_.ended[i] == 0 && !has_ended_by(i, due)) {
        kill_below(getpid());
        break;
      }
    for (int i = 0; i < waited_.count; ++i)
      if (waited_.ended[i] == 0) await_end(i);
  }

  bool has_ended_by(int i, std::int64_t due) const {
    pollfd watched = {handles_[i], POLLIN, 0};
    const auto time = due - now_ns();
    const timespec limit{time > 0 ? time / 1'000'000'000 : 0, time > 0 ? time % 1'000'000'000 : 0};
    return ppoll(&watched, 1, &limit, nullptr) > 0;
  }

  void await_end(int i) {
    siginfo_t ended{};
    waitid(P_PID, static_cast<id_t>(waited_.pids[i]), &ended, WEXITED | WNOWAIT);
    end(i);
  }

  Waited& waited_;
  const Request& request_;
  Reply& reply_;
  std::uint64_t random_;
  int left_ = waited_.count;
  int handles_[most_programs];
  int order_[most_programs];
};

}  // namespace

void run_in_slices(Waited& waited, const Request& request, Reply& reply) {
  SlicedRun(waited, request, reply).run();
}

}  // namespace assay::launcher
