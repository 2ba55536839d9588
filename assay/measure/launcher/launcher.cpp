// The launcher: a small static program that spawns every trial, so that the trial's peak memory, descriptors,
// signal state and children have nothing to do with the process that holds the library. It ends with its
// socket, and clears the running trial before it does.
//
// It allocates nothing: its own memory is the floor of every peak memory that it measures.

#include <dirent.h>
#include <fcntl.h>
#include <poll.h>
#include <sys/mman.h>
#include <sys/prctl.h>
#include <sys/resource.h>
#include <sys/socket.h>
#include <sys/syscall.h>
#include <sys/wait.h>
#include <unistd.h>

#include <cerrno>
#include <csignal>
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <ctime>

#include "assay/measure/launcher/protocol.hpp"

namespace {

using namespace assay::measure::protocol;

std::int64_t now_ns() {
  timespec t{};
  clock_gettime(CLOCK_MONOTONIC, &t);
  return t.tv_sec * 1'000'000'000LL + t.tv_nsec;
}

// --- the processes below this one -------------------------------------------------------------------------

void signal_tree(int pid, int signal_number, int depth);

/// Signals the processes listed in one `children` file, and those below them.
void signal_children_of_thread(const char* path, int signal_number, int depth) {
  const int file = open(path, O_RDONLY | O_CLOEXEC);
  if (file < 0) return;
  char text[1024];
  int pid = 0;
  for (ssize_t got; (got = read(file, text, sizeof text)) > 0;)
    for (ssize_t i = 0; i < got; ++i) {
      if (text[i] >= '0' && text[i] <= '9') {
        pid = pid * 10 + (text[i] - '0');
      } else if (pid > 0) {
        signal_tree(pid, signal_number, depth);
        pid = 0;
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

/// The parent first, so that it can't make more. What lies deeper than the limit comes up by adoption when
/// its parents are gone.
void signal_tree(int pid, int signal_number, int depth) {
  kill(pid, signal_number);
  if (signal_number == SIGTERM) kill(pid, SIGCONT);  // a stopped process never sees TERM alone
  if (depth < 40) signal_descendants(pid, signal_number, depth + 1);
}

void signal_everything(int signal_number) { signal_descendants(getpid(), signal_number, 0); }

void add_usage(Reply& reply, const rusage& usage) {
  reply.user_us += usage.ru_utime.tv_sec * 1'000'000LL + usage.ru_utime.tv_usec;
  reply.system_us += usage.ru_stime.tv_sec * 1'000'000LL + usage.ru_stime.tv_usec;
  if (usage.ru_maxrss > reply.peak_kib) reply.peak_kib = usage.ru_maxrss;
  reply.faults_minor += usage.ru_minflt;
  reply.faults_major += usage.ru_majflt;
  reply.switches_voluntary += usage.ru_nvcsw;
  reply.switches_involuntary += usage.ru_nivcsw;
}

/// Reaps orphans that have ended, kills those that have not, until there is no child left. What ends after
/// the first kill is counted as left over.
void clear_leftovers(Reply& reply) {
  rusage usage{};
  bool killed = false;
  while (true) {
    const pid_t pid = wait4(-1, nullptr, killed ? 0 : WNOHANG, &usage);
    if (pid < 0 && errno == ECHILD) return;
    if (pid > 0) {
      add_usage(reply, usage);
      reply.leftovers += killed ? 1 : 0;
    }
    if (pid > 0 && !killed) continue;  // more may have ended already
    signal_everything(SIGKILL);        // again after each: what is adopted now was out of sight before
    killed = true;
  }
}

[[noreturn]] void clear_and_exit() {
  Reply unread;
  signal_everything(SIGKILL);
  clear_leftovers(unread);
  _exit(0);
}

// --- one trial --------------------------------------------------------------------------------------------

struct Program {
  const char* directory;
  const char* path;
  const char* input;
  char** arguments;
  char** variables;
  int out, err;
};

// Written by the child before it has a program of its own: after vfork the two share their memory.
volatile std::int32_t child_error;
volatile Step child_step;

[[noreturn]] void become(const Program& program) {
  setsid();
  const auto give_up = [](Step step) {
    child_error = errno;
    child_step = step;
    _exit(127);
  };
  if (chdir(program.directory) != 0) give_up(Step::directory);
  const int input = open(program.input, O_RDONLY);
  if (input < 0) give_up(Step::input);
  dup2(input, 0);
  dup2(program.out, 1);
  dup2(program.err, 2);
  close_range(3, ~0U, 0);
  execve(program.path, program.arguments, program.variables);
  give_up(Step::exec);
  _exit(127);
}

/// Waits until the main process has ended, keeping the time limit, and hears of cancelling.
std::int64_t wait_for_end(int pidfd, const Request& request, std::int64_t start, Reply& reply) {
  enum { running, asked, forced } state = running;
  std::int64_t deadline = start + request.timeout_ns;
  const auto ask = [&](std::int64_t now) {
    signal_everything(SIGTERM);
    state = asked;
    deadline = now + request.grace_ns;
  };
  pollfd watched[2] = {{pidfd, POLLIN, 0}, {launcher_socket, POLLIN, 0}};
  while (true) {
    const std::int64_t left = deadline - now_ns();
    const timespec limit{left > 0 ? left / 1'000'000'000 : 0, left > 0 ? left % 1'000'000'000 : 0};
    watched[0].revents = watched[1].revents = 0;
    ppoll(watched, 2, state == forced ? nullptr : &limit, nullptr);
    const std::int64_t now = now_ns();
    if (watched[0].revents != 0) return now;
    if (watched[1].revents != 0) {
      Request heard;
      const auto got = recv(launcher_socket, &heard, sizeof heard, MSG_DONTWAIT);
      if (got == 0) clear_and_exit();
      if (got == sizeof heard && heard.kind == Kind::cancel && state == running) {
        reply.cancelled = 1;
        ask(now);
      }
    } else if (now >= deadline && state == running) {
      reply.timed_out = 1;
      ask(now);
    } else if (now >= deadline && state == asked) {
      signal_everything(SIGKILL);
      state = forced;
    }
  }
}

Reply run(const Request& request, const Program& program) {
  Reply reply;
  child_error = 0;
  child_step = Step::none;
  const std::int64_t start = now_ns();
  // vfork, since this program must not grow: the child does nothing but what become() does.
  const pid_t pid = vfork();      // NOLINT(clang-analyzer-security.insecureAPI.vfork)
  if (pid == 0) become(program);  // NOLINT(clang-analyzer-unix.Vfork)
  if (pid < 0) {
    reply.failed_step = Step::spawn;
    reply.error = errno;
    return reply;
  }
  rusage usage{};
  if (child_step != Step::none) {
    waitpid(pid, nullptr, 0);
    reply.failed_step = child_step;
    reply.error = child_error;
    return reply;
  }
  const int pidfd = static_cast<int>(syscall(SYS_pidfd_open, pid, 0));
  const std::int64_t end = wait_for_end(pidfd, request, start, reply);
  reply.wall_ns = end - start;
  wait4(pid, &reply.status, 0, &usage);
  close(pidfd);
  add_usage(reply, usage);
  clear_leftovers(reply);
  return reply;
}

// --- requests ---------------------------------------------------------------------------------------------

/// Points into the text block, one text after the other; nullptr past its end.
struct Texts {
  char* at;
  const char* end;
  char* next() {
    auto* stop =
        at < end ? static_cast<char*>(std::memchr(at, 0, static_cast<std::size_t>(end - at))) : nullptr;
    if (stop == nullptr) return nullptr;
    auto* text = at;
    at = stop + 1;
    return text;
  }
};

Reply refuse(int error) {
  Reply reply;
  reply.failed_step = Step::request;
  reply.error = error;
  return reply;
}

Reply serve(const Request& request, const int* fds) {
  auto* block =
      static_cast<char*>(mmap(nullptr, request.text_bytes, PROT_READ | PROT_WRITE, MAP_PRIVATE, fds[0], 0));
  const std::size_t list_bytes = (request.arguments + request.variables + 2UL) * sizeof(char*);
  auto** list = static_cast<char**>(
      mmap(nullptr, list_bytes, PROT_READ | PROT_WRITE, MAP_PRIVATE | MAP_ANONYMOUS, -1, 0));
  if (block == MAP_FAILED || list == MAP_FAILED) return refuse(errno);
  Texts texts{block, block + request.text_bytes};
  Program program{};
  program.directory = texts.next();
  program.path = texts.next();
  program.input = texts.next();
  program.arguments = list;
  program.variables = list + request.arguments + 1;
  bool complete = program.input != nullptr;
  for (std::uint32_t i = 0; i < request.arguments; ++i)
    complete = (program.arguments[i] = texts.next()) != nullptr && complete;
  for (std::uint32_t i = 0; i < request.variables; ++i)
    complete = (program.variables[i] = texts.next()) != nullptr && complete;
  program.out = fds[1];
  program.err = fds[2];
  const Reply reply = complete ? run(request, program) : refuse(EINVAL);
  munmap(block, request.text_bytes);
  munmap(list, list_bytes);
  return reply;
}

/// Takes the next request and its descriptors. Ends the program with its socket.
Request take(int* fds, bool& with_descriptors) {
  Request request;
  alignas(cmsghdr) char control[CMSG_SPACE(sizeof(int) * descriptors)];
  iovec content{&request, sizeof request};
  msghdr message{};
  message.msg_iov = &content;
  message.msg_iovlen = 1;
  message.msg_control = control;
  message.msg_controllen = sizeof control;
  ssize_t got = 0;
  do got = recvmsg(launcher_socket, &message, MSG_CMSG_CLOEXEC);
  while (got < 0 && errno == EINTR);
  if (got <= 0) _exit(0);
  const cmsghdr* header = CMSG_FIRSTHDR(&message);
  with_descriptors = header != nullptr && header->cmsg_type == SCM_RIGHTS &&
                     header->cmsg_len == CMSG_LEN(sizeof(int) * descriptors);
  if (with_descriptors) std::memcpy(fds, CMSG_DATA(header), sizeof(int) * descriptors);
  return request;
}

}  // namespace

int main() {
  setsid();
  for (int number = 1; number < NSIG; ++number) signal(number, SIG_DFL);
  sigset_t none;
  sigemptyset(&none);
  sigprocmask(SIG_SETMASK, &none, nullptr);
  close_range(launcher_socket + 1, ~0U, 0);
  prctl(PR_SET_CHILD_SUBREAPER, 1);
  rlimit core{};
  getrlimit(RLIMIT_CORE, &core);
  core.rlim_cur = 0;
  setrlimit(RLIMIT_CORE, &core);
  fcntl(launcher_socket, F_SETFD, FD_CLOEXEC);
  while (true) {
    int fds[descriptors];
    bool with_descriptors = false;
    const Request request = take(fds, with_descriptors);
    if (!with_descriptors) continue;  // a cancel that came too late
    const Reply reply = serve(request, fds);
    for (const int fd : fds) close(fd);
    send(launcher_socket, &reply, sizeof reply, MSG_NOSIGNAL);
  }
}
