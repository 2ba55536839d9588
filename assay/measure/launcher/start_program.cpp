#include "assay/measure/launcher/start_program.hpp"

#include <fcntl.h>
#include <sched.h>
#include <sys/prctl.h>
#include <sys/resource.h>
#include <sys/stat.h>
#include <sys/syscall.h>
#include <unistd.h>

#include <cerrno>
#include <csignal>
#include <cstring>
#include <ctime>

namespace assay::launcher {

using measure::protocol::Request;
using measure::protocol::Step;

namespace {

constexpr int samples_descriptor = 3;

/// A pipe without a writer would be waited for without end, so it is refused.
int open_input(const char* path) {
  const int input = open(path, O_RDONLY | O_NONBLOCK);
  struct stat about {};
  if (input < 0 || fstat(input, &about) != 0) return -1;
  if (S_ISFIFO(about.st_mode)) {
    errno = ESPIPE;
    return -1;
  }
  fcntl(input, F_SETFL, 0);
  return input;
}

}  // namespace

std::int64_t now_ns() {
  timespec t{};
  clock_gettime(CLOCK_MONOTONIC, &t);
  return t.tv_sec * 1'000'000'000LL + t.tv_nsec;
}

namespace {

/// Asks for slices of this length, where the kernel (6.12 and later) gives ordinary programs any: an older
/// one, and one that refuses, keeps its own.
void ask_for_slices(std::int64_t length) {
  struct Attributes {
    std::uint32_t size, policy;
    std::uint64_t flags;
    std::int32_t nice;
    std::uint32_t priority;
    std::uint64_t runtime, deadline, period;
  };
  if (sched_getscheduler(0) != SCHED_OTHER) return;
  const Attributes attributes{.size = sizeof attributes,
                              .policy = SCHED_OTHER,
                              .flags = 0,
                              .nice = getpriority(PRIO_PROCESS, 0),
                              .priority = 0,
                              .runtime = static_cast<std::uint64_t>(length),
                              .deadline = 0,
                              .period = 0};
  syscall(SYS_sched_setattr, 0, &attributes, 0);
}

std::int64_t cpu_ns() {
  timespec t{};
  clock_gettime(CLOCK_THREAD_CPUTIME_ID, &t);
  return t.tv_sec * 1'000'000'000LL + t.tv_nsec;
}

void spin(std::int64_t length) {
  const auto until = cpu_ns() + length;
  while (cpu_ns() < until) {
  }
}

}  // namespace

bool prepare(const Start& start, const Request& request, Failure& failure) {
  const auto failed = [&](Step step) {
    failure.error = errno;
    failure.step = step;
    return false;
  };
  setsid();
  prctl(PR_SET_PDEATHSIG, SIGKILL);  // it does not outlive a launcher that is killed
  if (start.join[0] != '\0') {
    const int group = open(start.join, O_WRONLY | O_CLOEXEC);
    if (group < 0 || write(group, "0", 1) != 1) return failed(Step::cgroup);
    close(group);
  }
  if (request.pinned != 0) {
    cpu_set_t set;
    static_assert(sizeof set == sizeof request.cores);
    std::memcpy(&set, request.cores.data(), sizeof set);
    if (sched_setaffinity(0, sizeof set, &set) != 0) return failed(Step::pin);
  }
  if (request.together == measure::protocol::Together::abreast && request.slice_ns > 0)
    ask_for_slices(request.slice_ns);
  if (request.nice != 0 && setpriority(PRIO_PROCESS, 0, getpriority(PRIO_PROCESS, 0) + request.nice) != 0)
    return failed(Step::nice);
  if (request.memory_limit > 0) {
    const rlimit limit{static_cast<rlim_t>(request.memory_limit), static_cast<rlim_t>(request.memory_limit)};
    if (setrlimit(RLIMIT_DATA, &limit) != 0) return failed(Step::limit);
  }
  if (request.file_limit > 0) {
    rlimit limit{};
    getrlimit(RLIMIT_FSIZE, &limit);
    if (const auto most = static_cast<rlim_t>(request.file_limit); limit.rlim_cur > most) {
      limit.rlim_cur = most;  // the hard limit stays, for programs that know what they do
      if (setrlimit(RLIMIT_FSIZE, &limit) != 0) return failed(Step::limit);
    }
  }
  if (chdir(start.directory) != 0) return failed(Step::directory);
  const int input = open_input(start.input);
  if (input < 0) return failed(Step::input);
  dup2(input, 0);
  dup2(start.out, 1);
  dup2(start.err, 2);
  if (request.phase_ns > 0) spin(request.phase_ns);
  return true;
}

void execute(const Start& start, const Request& request, Failure& failure) {
  if (request.samples != 0) dup2(start.samples, samples_descriptor);
  close_range(request.samples != 0 ? samples_descriptor + 1 : samples_descriptor, ~0U, 0);
  execve(start.path, start.arguments, start.variables);
  failure.error = errno;
  failure.step = Step::exec;
  _exit(127);
}

}  // namespace assay::launcher
