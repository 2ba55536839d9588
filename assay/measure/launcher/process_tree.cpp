#include "assay/measure/launcher/process_tree.hpp"

#include <dirent.h>
#include <fcntl.h>
#include <sys/syscall.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <csignal>
#include <cstdio>
#include <cstdlib>
#include <cstring>

namespace assay::launcher {

long long bytes_read_here = 0;

namespace {

/// What /proc says of a process.
struct Stat {
  char state = '?';  ///< Z: it has ended, and waits to be reaped
  int parent = 0, group = 0, session = 0;
};

Stat stat_of(int pid) {
  char path[64], text[512];
  std::snprintf(path, sizeof path, "/proc/%d/stat", pid);
  const int file = open(path, O_RDONLY | O_CLOEXEC);
  if (file < 0) return {};
  const auto got = read(file, text, sizeof text - 1);
  close(file);
  if (got <= 0) return {};
  bytes_read_here += got;
  text[got] = '\0';
  const char* at =
      std::strrchr(text, ')');  // the name may hold anything; state, parent, group, session follow
  const char state = at != nullptr && at + 2 < text + got ? at[2] : '?';
  int fields[4] = {};
  for (int i = 0; at != nullptr && i < 4; ++i) {
    at = std::strchr(at + 1, ' ');
    if (at != nullptr) fields[i] = std::atoi(at + 1);
  }
  return {.state = state, .parent = fields[1], .group = fields[2], .session = fields[3]};
}

/// A walk through the processes below one.
class Walk {
 public:
  Walk(int root, int signal_number) : root_(root), signal_(signal_number) {}

  int seen = 0;                 ///< processes that have not ended
  const int* groups = nullptr;  ///< of those it looks for
  int group_count = 0;
  bool outside = false;  ///< one that has not ended is in none of the groups

  void below(int pid, int depth) {
    char path[96];
    std::snprintf(path, sizeof path, "/proc/%d/task", pid);
    const int folder = open(path, O_RDONLY | O_DIRECTORY | O_CLOEXEC);
    if (folder < 0) return;
    alignas(8) char entries[1024];
    for (long got; (got = syscall(SYS_getdents64, folder, entries, sizeof entries)) > 0;)
      for (long at = 0; at < got;) {
        const auto* entry = reinterpret_cast<const dirent64*>(entries + at);
        at += entry->d_reclen;
        if (entry->d_name[0] == '.') continue;
        std::snprintf(path, sizeof path, "/proc/%d/task/%.20s/children", pid, entry->d_name);
        children_of_thread(path, pid, depth);
      }
    close(folder);
  }

 private:
  /// The processes listed in one `children` file of `parent`.
  void children_of_thread(const char* path, int parent, int depth) {
    const int file = open(path, O_RDONLY | O_CLOEXEC);
    if (file < 0) return;
    char text[1024];
    int pid = 0;
    for (ssize_t got; (got = read(file, text, sizeof text)) > 0;) {
      bytes_read_here += got;
      for (ssize_t i = 0; i < got; ++i) {
        if (text[i] >= '0' && text[i] <= '9') {
          pid = pid * 10 + (text[i] - '0');
        } else if (pid > 0) {
          visit(pid, parent, depth);
          pid = 0;
        }
      }
    }
    close(file);
  }

  void visit(int pid, int parent, int depth) {
    const int handle = static_cast<int>(syscall(SYS_pidfd_open, pid, 0));
    const auto found = stat_of(pid);
    const int above = found.parent;
    const bool runs = found.state != 'Z' && found.state != 'X' && found.state != '?';
    if (runs || found.state == '?') ++seen;
    if (runs) outside = outside || std::count(groups, groups + group_count, found.group) == 0;
    if (above == parent || above == root_) {  // the root adopts those whose parent has just been killed
      send(handle, pid, signal_);
      if (signal_ == SIGTERM) send(handle, pid, SIGCONT);  // a stopped process never sees TERM alone
      if (depth < deepest) below(pid, depth + 1);
    }
    if (handle >= 0) close(handle);
  }

  static void send(int handle, int pid, int signal_number) {
    if (handle < 0 ||
        (syscall(SYS_pidfd_send_signal, handle, signal_number, nullptr, 0) != 0 && errno != ESRCH))
      kill(pid, signal_number);  // no pidfds here
  }

  static constexpr int deepest = 40;
  int root_, signal_;
};

}  // namespace

int signal_below(int root, int signal_number) {
  Walk walk(root, signal_number);
  walk.below(root, 0);
  return walk.seen;
}

bool are_all_below_in(const int* groups, int count) {
  constexpr int nothing = 0;  // no signal, but all that precedes one
  Walk walk(getpid(), nothing);
  walk.groups = groups;
  walk.group_count = count;
  walk.below(getpid(), 0);
  return !walk.outside;
}

int signal_everything(int signal_number) { return signal_below(getpid(), signal_number); }

void kill_below(int root) {
  constexpr int most_passes = 20;
  for (int pass = 0, before = -1; pass < most_passes; ++pass) {
    const int seen = signal_below(root, SIGSTOP);
    if (seen == before) break;
    before = seen;
  }
  signal_below(root, SIGKILL);
}

char state_of(int pid) { return stat_of(pid).state; }

int session_of(int pid) { return stat_of(pid).session; }

}  // namespace assay::launcher
