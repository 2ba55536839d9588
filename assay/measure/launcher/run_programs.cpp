#include "assay/measure/launcher/run_programs.hpp"

#include <fcntl.h>
#include <sys/mman.h>
#include <sys/resource.h>
#include <sys/socket.h>
#include <sys/wait.h>
#include <unistd.h>

#include <cerrno>
#include <csignal>

#include "assay/measure/launcher/resource_usage.hpp"
#include "assay/measure/launcher/slices.hpp"
#include "assay/measure/launcher/start_program.hpp"
#include "assay/measure/launcher/wait.hpp"

namespace assay::launcher {

using namespace measure::protocol;

namespace {

/// What a child leaves for the launcher in memory they share.
struct Left {
  Failure failure;
  volatile std::int64_t ready_ns, user_us, system_us;  ///< when it was prepared, and what that took
};

/// Before a child becomes its program: what it spent so far is not the program's. Joining a control group alone
/// may wait for milliseconds.
void leave_usage(Left& left) {
  rusage usage{};
  getrusage(RUSAGE_SELF, &usage);
  left.user_us = usage.ru_utime.tv_sec * 1'000'000LL + usage.ru_utime.tv_usec;
  left.system_us = usage.ru_stime.tv_sec * 1'000'000LL + usage.ru_stime.tv_usec;
  left.ready_ns = now_ns();
}

void take_off(const Left& left, Program& result) {
  result.user_us -= left.user_us;
  result.system_us -= left.system_us;
}

[[noreturn]] void become(const Start& start, const Request& request, Left& left) {
  if (prepare(start, request, left.failure)) {
    leave_usage(left);
    execute(start, request, left.failure);
  }
  _exit(127);
}

}  // namespace

void run_single(const Start& start, const Request& request, Counters& counters, Reply& reply) {
  static Left left;  // after vfork parent and child share their memory
  auto& failure = left.failure;
  auto& result = reply.each[0];
  failure.error = 0;
  failure.step = Step::none;
  counters.open(request.counting);
  counters.begin();
  const std::int64_t began = now_ns();
  // vfork, since this program must not grow: the child does nothing but become the program.
  const pid_t pid = vfork();                   // NOLINT(clang-analyzer-security.insecureAPI.vfork)
  if (pid == 0) become(start, request, left);  // NOLINT(clang-analyzer-unix.Vfork)
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
  result.pid = pid;
  if (request.announce != 0) {
    const Started started{.pid = pid};
    send(launcher_socket, &started, sizeof started, MSG_NOSIGNAL);
  }
  Waited waited{.count = 1, .pids = {pid}, .ended = {}};
  wait_for_all(waited, request, began, reply);
  result.wall_ns = waited.ended[0] - left.ready_ns;
  reap(pid, &result.status, result);
  take_off(left, result);
  clear_orphans(&result, &pid, 1);
  counters.report(result);
}

namespace {

using namespace measure::protocol;

/// A pipe whose reader sleeps until the writer closes it.
struct Gate {
  int read_end = -1, write_end = -1;
  bool make() {
    int ends[2];
    if (pipe2(ends, O_CLOEXEC) != 0) return false;
    read_end = ends[0];
    write_end = ends[1];
    return true;
  }
  void open() {
    if (write_end >= 0) close(write_end);
    write_end = -1;
  }
  void drop() {
    open();
    if (read_end >= 0) close(read_end);
    read_end = -1;
  }
};

void pass(const Gate& gate) {
  char nothing;
  while (read(gate.read_end, &nothing, 1) < 0 && errno == EINTR) {
  }
}

/// In the child: ready, through the gate or stopped until the first slice, and away. A vfork here would wait
/// for itself.
[[noreturn]] void go(const Start& start, const Request& request, const Gate& gate, int ready, Left& left) {
  close(gate.write_end);
  const bool prepared = prepare(start, request, left.failure);
  const char word = prepared ? 'r' : 'f';
  if (write(ready, &word, 1) != 1 || !prepared) _exit(127);
  if (request.together == Together::sliced)
    raise(SIGSTOP);
  else
    pass(gate);
  leave_usage(left);
  execute(start, request, left.failure);
}

class Batch {
 public:
  Batch(const Start* starts, const Request& request, Reply& reply)
      : starts_(starts), request_(request), reply_(reply), count_(static_cast<int>(request.programs)) {}

  void run() {
    const Mapping shared(sizeof(Left) * most_programs, MAP_SHARED | MAP_ANONYMOUS, -1);
    left_ = static_cast<Left*>(shared.memory());
    int ready[2] = {-1, -1};
    if (left_ != nullptr && gate_.make() && pipe2(ready, O_CLOEXEC) == 0)
      go_through(ready);
    else
      refuse(errno);
    gate_.drop();
    clear_orphans(reply_.each.data(), pids_, count_);
  }

 private:
  void go_through(const int* ready) {
    const bool all_made = make(ready[1]);
    close(ready[1]);
    bool all_ready = all_made;
    char word;
    for (int i = 0; all_ready && i < count_; ++i) all_ready = read(ready[0], &word, 1) == 1 && word == 'r';
    close(ready[0]);
    if (all_ready)
      measure();
    else
      give_up();
  }

  void refuse(int error) {
    for (int i = 0; i < count_; ++i) {
      each(i).failed_step = Step::spawn;
      each(i).error = error;
    }
  }

  Program& each(int i) { return reply_.each[static_cast<unsigned>(i)]; }

  bool make(int ready) {
    for (int i = 0; i < count_; ++i) {
      pids_[i] = fork();
      if (pids_[i] == 0) go(starts_[i], request_, gate_, ready, left_[i]);
      if (pids_[i] < 0) {
        refuse(errno);
        return false;
      }
    }
    return true;
  }

  void measure() {
    Waited waited{.count = count_, .pids = {}, .ended = {}};
    for (int i = 0; i < count_; ++i) waited.pids[i] = pids_[i];
    const bool sliced = request_.together == Together::sliced;
    const auto released = now_ns();
    gate_.open();
    if (sliced)
      run_in_slices(waited, request_, reply_);
    else
      wait_for_all(waited, request_, released, reply_);
    for (int i = 0; i < count_; ++i) {
      each(i).pid = pids_[i];
      if (!sliced) each(i).wall_ns = waited.ended[i] - released;
      reap(pids_[i], &each(i).status, each(i));
      take_off(left_[i], each(i));
      each(i).failed_step = left_[i].failure.step;
      each(i).error = left_[i].failure.error;
    }
  }

  /// One could not be prepared: its failure is reported, and those beside it did not run.
  void give_up() {
    for (int i = 0; i < count_; ++i) {
      if (pids_[i] > 0) {
        kill(pids_[i], SIGKILL);
        waitpid(pids_[i], nullptr, 0);
      }
      if (each(i).failed_step != Step::none) continue;
      each(i).failed_step = left_[i].failure.step == Step::none ? Step::peer : left_[i].failure.step;
      each(i).error = left_[i].failure.error;
    }
  }

  const Start* starts_;
  const Request& request_;
  Reply& reply_;
  int count_;
  Left* left_ = nullptr;
  Gate gate_;
  pid_t pids_[most_programs] = {};
};

}  // namespace

void run_concurrent(const Start* starts, const Request& request, Reply& reply) {
  Batch(starts, request, reply).run();
}

}  // namespace assay::launcher
