/// Loaded into the tool by LD_PRELOAD: counts its calls of the C library that can fail, and makes one of them
/// fail, fall short, or be the last before a kill.
///
///   ASSAY_FAULT_AT=N     the call, from 1; 0: none
///   ASSAY_FAULT_WAY=K    which of the ways that such a call can fail, from 0, in turn; -1: SIGKILL before it
///   ASSAY_FAULT_LOG=FILE gets the number of calls when the process ends, and what was made to fail
///   ASSAY_FAULT_IN=NAME  the processes that are concerned, `assay` by default: not what is measured
///   ASSAY_FAULT_COUNT=FILE  8 bytes in which all such processes count together; without it each for itself
///   ASSAY_FAULT_STACKS=FILE gets a line for each call: a number that calls from one stack have in common
#include <dlfcn.h>
#include <execinfo.h>
#include <fcntl.h>
#include <poll.h>
#include <pthread.h>
#include <spawn.h>
#include <sys/eventfd.h>
#include <sys/file.h>
#include <sys/mman.h>
#include <sys/signalfd.h>
#include <sys/socket.h>
#include <sys/stat.h>
#include <unistd.h>

#include <atomic>
#include <cerrno>
#include <cinttypes>
#include <csignal>
#include <cstdarg>
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <initializer_list>

namespace {

std::atomic<long> own_calls{0};
std::atomic<long>* calls = &own_calls;
long at = 0;
int way = 0;
bool armed = false;
const char* log_file = nullptr;
int stacks_file = -1;
thread_local bool listing = false;  // backtrace() may open a library

template <class F>
F real(const char* name) {
  return reinterpret_cast<F>(dlsym(RTLD_NEXT, name));
}

void note(const char* what, int error) {
  if (log_file == nullptr) return;
  const int file =
      real<int (*)(const char*, int, ...)>("open")(log_file, O_WRONLY | O_CREAT | O_APPEND | O_CLOEXEC, 0600);
  char line[96];
  const int length = snprintf(line, sizeof line, "%s %d\n", what, error);
  if (file >= 0 && length > 0)
    (void)!real<ssize_t (*)(int, const void*, size_t)>("write")(file, line, static_cast<size_t>(length));
  if (file >= 0) real<int (*)(int)>("close")(file);
}

__attribute__((constructor)) void arm() {
  char name[64] = {};
  const int file = real<int (*)(const char*, int, ...)>("open")("/proc/self/comm", O_RDONLY | O_CLOEXEC);
  if (file >= 0) (void)!real<ssize_t (*)(int, void*, size_t)>("read")(file, name, sizeof name - 1);
  if (file >= 0) real<int (*)(int)>("close")(file);
  if (char* end = std::strchr(name, '\n'); end != nullptr) *end = 0;
  const char* concerned = getenv("ASSAY_FAULT_IN");
  if (std::strcmp(name, concerned == nullptr ? "assay" : concerned) != 0) return;
  const char* number = getenv("ASSAY_FAULT_AT");
  const char* which = getenv("ASSAY_FAULT_WAY");
  log_file = getenv("ASSAY_FAULT_LOG");
  if (const char* shared = getenv("ASSAY_FAULT_COUNT"); shared != nullptr) {
    const int count = real<int (*)(const char*, int, ...)>("open")(shared, O_RDWR | O_CLOEXEC);
    void* place = mmap(nullptr, sizeof own_calls, PROT_READ | PROT_WRITE, MAP_SHARED, count, 0);
    if (place != MAP_FAILED) calls = static_cast<std::atomic<long>*>(place);
    real<int (*)(int)>("close")(count);
  }
  at = number == nullptr ? 0 : std::atol(number);
  way = which == nullptr ? 0 : std::atoi(which);
  if (const char* stacks = getenv("ASSAY_FAULT_STACKS"); stacks != nullptr)
    stacks_file =
        real<int (*)(const char*, int, ...)>("open")(stacks, O_WRONLY | O_CREAT | O_APPEND | O_CLOEXEC, 0600);
  armed = number != nullptr;
}

__attribute__((destructor)) void report() {
  if (armed) note("calls", static_cast<int>(calls->load()));
}

/// Writes down the stack of this call. FNV-1a, Fowler, Noll and Vo.
void list_stack(const char* name) {
  listing = true;
  void* frames[32];
  const int depth = backtrace(frames, 32);
  auto sum = 14695981039346656037U;
  const auto add = [&sum](const void* bytes, size_t count) {
    for (size_t i = 0; i < count; ++i)
      sum = (sum ^ static_cast<const unsigned char*>(bytes)[i]) * 1099511628211U;
  };
  add(name, std::strlen(name));
  add(frames, static_cast<size_t>(depth) * sizeof *frames);
  char line[32];
  const int length = snprintf(line, sizeof line, "%016" PRIx64 "\n", static_cast<uint64_t>(sum));
  (void)!real<ssize_t (*)(int, const void*, size_t)>("write")(stacks_file, line, static_cast<size_t>(length));
  listing = false;
}

/// The errno that this call is to fail with; 0: it is not to; -1: with a short count.
int fault(const char* name, std::initializer_list<int> ways) {
  if (!armed || listing) return 0;
  const long call = ++*calls;
  if (stacks_file >= 0) list_stack(name);
  if (call != at) return 0;
  if (way < 0) {
    note(name, SIGKILL);
    raise(SIGKILL);
  }
  const int error = *(ways.begin() + way % static_cast<int>(ways.size()));
  note(name, error);
  return error;
}

}  // namespace

#define FAILING(type, name, parameters, arguments, failed, ...)      \
  extern "C" type name parameters {                                  \
    static const auto next = real<type(*) parameters>(#name);        \
    if (const int error = fault(#name, {__VA_ARGS__}); error != 0) { \
      errno = error;                                                 \
      return failed;                                                 \
    }                                                                \
    return next arguments;                                           \
  }

FAILING(int, fsync, (int fd), (fd), -1, EIO, ENOSPC)
FAILING(int, fdatasync, (int fd), (fd), -1, EIO, ENOSPC)
FAILING(int, ftruncate, (int fd, off_t length), (fd, length), -1, EIO, ENOSPC)
FAILING(int, ftruncate64, (int fd, off64_t length), (fd, length), -1, EIO, ENOSPC)
FAILING(int, rename, (const char* from, const char* to), (from, to), -1, EIO, ENOSPC)
FAILING(int, mkdir, (const char* path, mode_t mode), (path, mode), -1, EACCES, ENOSPC)
FAILING(int, unlink, (const char* path), (path), -1, EIO)
FAILING(int, memfd_create, (const char* name, unsigned flags) noexcept, (name, flags), -1, EMFILE, ENOMEM)
FAILING(int, eventfd, (unsigned value, int flags) noexcept, (value, flags), -1, EMFILE)
FAILING(int, signalfd, (int fd, const sigset_t* set, int flags) noexcept, (fd, set, flags), -1, EMFILE,
        ENOMEM)
FAILING(int, socketpair, (int domain, int type, int protocol, int* ends) noexcept,
        (domain, type, protocol, ends), -1, EMFILE, ENOMEM)
FAILING(int, socket, (int domain, int type, int protocol) noexcept, (domain, type, protocol), -1, EMFILE,
        ENOMEM)
FAILING(ssize_t, sendmsg, (int fd, const msghdr* message, int flags), (fd, message, flags), -1, EPIPE,
        ENOBUFS)
FAILING(ssize_t, recv, (int fd, void* into, size_t count, int flags), (fd, into, count, flags), -1,
        ECONNRESET, EINTR)
FAILING(int, poll, (pollfd * files, nfds_t count, int limit), (files, count, limit), -1, EINTR, ENOMEM)
FAILING(int, flock, (int fd, int operation) noexcept, (fd, operation), -1, EINTR, ENOLCK)

extern "C" int posix_fallocate(int fd, off_t from, off_t count) {
  static const auto next = real<int (*)(int, off_t, off_t)>("posix_fallocate");
  if (const int error = fault("posix_fallocate", {ENOSPC, EIO}); error != 0) return error;
  return next(fd, from, count);
}

extern "C" int posix_spawn(pid_t* pid, const char* path, const posix_spawn_file_actions_t* actions,
                           const posix_spawnattr_t* attributes, char* const* arguments,
                           char* const* variables) {
  static const auto next = real<decltype(&posix_spawn)>("posix_spawn");
  if (const int error = fault("posix_spawn", {EAGAIN, ENOMEM}); error != 0) return error;
  return next(pid, path, actions, attributes, arguments, variables);
}

#define OPENING(name)                                                           \
  extern "C" int name(const char* path, int flags, ...) {                       \
    static const auto next = real<int (*)(const char*, int, ...)>(#name);       \
    va_list rest;                                                               \
    va_start(rest, flags);                                                      \
    const auto mode = static_cast<mode_t>(va_arg(rest, int));                   \
    va_end(rest);                                                               \
    if (const int error = fault(#name, {EMFILE, EACCES, ENOSPC}); error != 0) { \
      errno = error;                                                            \
      return -1;                                                                \
    }                                                                           \
    return next(path, flags, mode);                                             \
  }

OPENING(open)
OPENING(open64)

#define TRANSFERRING(name, parameters, arguments, shorter, ...)          \
  extern "C" ssize_t name parameters {                                   \
    static const auto next = real<ssize_t(*) parameters>(#name);         \
    if (const int error = fault(#name, {__VA_ARGS__, -1}); error != 0) { \
      if (error == -1 && count > 1) return next shorter;                 \
      errno = error == -1 ? EINTR : error;                               \
      return -1;                                                         \
    }                                                                    \
    return next arguments;                                               \
  }

TRANSFERRING(write, (int fd, const void* from, size_t count), (fd, from, count), (fd, from, count / 2),
             ENOSPC, EIO, EINTR)
TRANSFERRING(read, (int fd, void* into, size_t count), (fd, into, count), (fd, into, count / 2), EIO, EINTR)
TRANSFERRING(pwrite, (int fd, const void* from, size_t count, off_t place), (fd, from, count, place),
             (fd, from, count / 2, place), ENOSPC, EIO)
TRANSFERRING(pwrite64, (int fd, const void* from, size_t count, off64_t place), (fd, from, count, place),
             (fd, from, count / 2, place), ENOSPC, EIO)
TRANSFERRING(pread, (int fd, void* into, size_t count, off_t place), (fd, into, count, place),
             (fd, into, count / 2, place), EIO)
TRANSFERRING(pread64, (int fd, void* into, size_t count, off64_t place), (fd, into, count, place),
             (fd, into, count / 2, place), EIO)
