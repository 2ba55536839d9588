#include "assay/measure/launcher/resource_usage.hpp"

#include <fcntl.h>
#include <sys/resource.h>
#include <sys/syscall.h>
#include <sys/wait.h>
#include <unistd.h>

#include <cerrno>
#include <csignal>
#include <cstdio>
#include <cstdlib>
#include <cstring>

#include "assay/measure/launcher/counter_events.hpp"
#include "assay/measure/launcher/process_tree.hpp"

namespace assay::launcher {

using namespace measure::protocol;

namespace {

struct Account {
  long long read = -1, written = -1;
};

/// The bytes booked to this process so far, without what it read here itself.
Account account_now() {
  static const int file = open("/proc/self/io", O_RDONLY | O_CLOEXEC);
  char text[256];
  const auto got = pread(file, text, sizeof text - 1, 0);
  if (got <= 0) return {};
  text[got] = '\0';
  Account account;
  if (const char* at = std::strstr(text, "rchar: ")) account.read = std::atoll(at + 7) - bytes_read_here;
  if (const char* at = std::strstr(text, "wchar: ")) account.written = std::atoll(at + 7);
  bytes_read_here += got;
  return account;
}

void add(long long& to, long long before, long long after) {
  if (before < 0 || after < before) return;
  to = (to < 0 ? 0 : to) + (after - before);
}

void add_usage(Program& to, const rusage& usage) {
  to.user_us += usage.ru_utime.tv_sec * 1'000'000LL + usage.ru_utime.tv_usec;
  to.system_us += usage.ru_stime.tv_sec * 1'000'000LL + usage.ru_stime.tv_usec;
  if (usage.ru_maxrss > to.peak_kib) to.peak_kib = usage.ru_maxrss;
  to.faults_minor += usage.ru_minflt;
  to.faults_major += usage.ru_majflt;
  to.switches_voluntary += usage.ru_nvcsw;
  to.switches_involuntary += usage.ru_nivcsw;
}

/// The second number of the kernel's schedule statistics of a process that has ended and was not reaped yet:
/// nanoseconds on a run queue. −1 where it does not tell.
long long core_wait_of(pid_t pid) {
  char path[40], text[96];
  std::snprintf(path, sizeof path, "/proc/%d/schedstat", static_cast<int>(pid));
  const int file = open(path, O_RDONLY | O_CLOEXEC);
  if (file < 0) return -1;
  const auto got = read(file, text, sizeof text - 1);
  close(file);
  if (got <= 0) return -1;
  bytes_read_here += got;
  text[got] = '\0';
  const char* second = std::strchr(text, ' ');
  return second == nullptr ? -1 : std::atoll(second + 1);
}

Program& owner_of(pid_t orphan, Program* programs, const pid_t* pids, int count) {
  const int session = count > 1 ? session_of(orphan) : 0;
  for (int i = 0; i < count; ++i)
    if (pids[i] == session) return programs[i];
  return programs[0];
}

}  // namespace

pid_t reap(pid_t pid, int* status, Program& used) {
  const auto waited = core_wait_of(pid);
  if (waited >= 0) used.core_wait_ns = (used.core_wait_ns < 0 ? 0 : used.core_wait_ns) + waited;
  const auto before = account_now();
  rusage usage{};
  const pid_t got = wait4(pid, status, 0, &usage);
  if (got <= 0) return got;
  add_usage(used, usage);
  const auto after = account_now();
  long long read = used.read_bytes, written = used.written_bytes;
  add(read, before.read, after.read);
  add(written, before.written, after.written);
  used.read_bytes = read;
  used.written_bytes = written;
  return got;
}

void clear_orphans(Program* programs, const pid_t* pids, int count) {
  bool killed = false;
  while (true) {
    siginfo_t ended{};
    const int failed = waitid(P_ALL, 0, &ended, WEXITED | WNOWAIT | (killed ? 0 : WNOHANG));
    if (failed != 0 && errno == ECHILD) return;
    if (failed == 0 && ended.si_pid > 0) {
      auto& owner = owner_of(ended.si_pid, programs, pids, count);
      reap(ended.si_pid, nullptr, owner);
      owner.orphans += killed ? 1 : 0;
      if (!killed) continue;  // more may have ended already
    }
    // Whatever has ended is reaped before the next sweep: thousands may have.
    for (; killed && waitid(P_ALL, 0, &ended, WEXITED | WNOWAIT | WNOHANG) == 0 && ended.si_pid > 0;
         ended = {}) {
      auto& owner = owner_of(ended.si_pid, programs, pids, count);
      reap(ended.si_pid, nullptr, owner);
      owner.orphans += 1;
    }
    kill_below(getpid());  // again: what is adopted now was out of sight before
    killed = true;
  }
}

void clear_and_exit() {
  Program unread;
  const pid_t nobody = 0;
  kill_below(getpid());
  clear_orphans(&unread, &nobody, 1);
  _exit(0);
}

void Counters::open(unsigned wanted) {
  for (unsigned kind = 0; kind < count_kinds; ++kind) {
    const bool is_wanted = (wanted >> kind & 1U) != 0;
    if (!is_wanted && files_[kind] >= 0) {  // or every later trial would carry it along
      ::close(files_[kind]);
      files_[kind] = -1;
    }
    if (!is_wanted || files_[kind] >= 0 || refused_[kind]) continue;
    auto attribute = counter_attribute(static_cast<Count>(kind));
    attribute.inherit = 1;
    attribute.enable_on_exec = 1;
    files_[kind] = static_cast<int>(syscall(SYS_perf_event_open, &attribute, 0, -1, -1,
                                            static_cast<unsigned long>(PERF_FLAG_FD_CLOEXEC)));
    if (files_[kind] >= 0) continue;
    refused_[kind] = true;  // nothing that changes from trial to trial
    if (error_ == 0) error_ = errno;
  }
}

bool Counters::read_value(int file, Value& value) {
  if (file < 0 || read(file, &value, sizeof value) != sizeof value) return false;
  bytes_read_here += sizeof value;
  return true;
}

void Counters::begin() {
  for (unsigned kind = 0; kind < count_kinds; ++kind)
    if (!read_value(files_[kind], start_[kind])) start_[kind] = {};
}

void Counters::report(Program& to) const {
  for (unsigned kind = 0; kind < count_kinds; ++kind) {
    to.counts[kind] = -1;
    Value now{};
    if (!read_value(files_[kind], now)) continue;
    const auto enabled = static_cast<double>(now.enabled - start_[kind].enabled);
    const auto running = static_cast<double>(now.running - start_[kind].running);
    if (running <= 0) continue;
    to.counts[kind] = static_cast<double>(now.count - start_[kind].count) * (enabled / running);
    if (running / enabled < to.counted_share) to.counted_share = running / enabled;
  }
}

}  // namespace assay::launcher
