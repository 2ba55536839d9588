#include "assay/measure/launcher/tree.hpp"

#include <dirent.h>
#include <fcntl.h>
#include <sys/syscall.h>
#include <unistd.h>

#include <csignal>
#include <cstdio>
#include <cstdlib>
#include <cstring>

namespace assay::launcher {

long long bytes_read_here = 0;

namespace {

/// Signals the processes listed in one `children` file, and those below them.
void signal_children_of_thread(const char* path, int signal_number, int depth) {
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
        signal_tree(pid, signal_number, depth);
        pid = 0;
      }
    }
  }
  close(file);
}

void signal_descendants(int pid, int signal_number, int depth) {
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
      signal_children_of_thread(path, signal_number, depth);
    }
  close(folder);
}

}  // namespace

void signal_tree(int pid, int signal_number, int depth) {
  kill(pid, signal_number);
  if (signal_number == SIGTERM) kill(pid, SIGCONT);  // a stopped process never sees TERM alone
  if (depth < 40) signal_descendants(pid, signal_number, depth + 1);
}

void signal_everything(int signal_number) { signal_descendants(getpid(), signal_number, 0); }

int session_of(int pid) {
  char path[64], text[512];
  std::snprintf(path, sizeof path, "/proc/%d/stat", pid);
  const int file = open(path, O_RDONLY | O_CLOEXEC);
  if (file < 0) return 0;
  const auto got = read(file, text, sizeof text - 1);
  close(file);
  if (got <= 0) return 0;
  bytes_read_here += got;
  text[got] = '\0';
  char* at = std::strrchr(text, ')');  // the name may hold anything; state, parent and group come after it
  for (int field = 0; at != nullptr && field < 4; ++field) at = std::strchr(at + 1, ' ');
  return at == nullptr ? 0 : std::atoi(at + 1);
}

}  // namespace assay::launcher
