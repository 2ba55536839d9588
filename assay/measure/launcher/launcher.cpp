// The launcher: a small static program that spawns every trial, so that the trial's peak memory, descriptors,
// signal state and children have nothing to do with the process that holds the library. It ends with its
// socket, and clears the running trial before it does.
//
// It allocates nothing: its own memory is the floor of every peak memory that it measures.
//
// With the argument `spin N` it is a program with a known amount of work instead: N turns of a loop.

#include <fcntl.h>
#include <sys/prctl.h>
#include <sys/resource.h>
#include <sys/socket.h>
#include <unistd.h>

#include <cerrno>
#include <csignal>
#include <cstdlib>
#include <cstring>

#include "assay/measure/launcher/protocol.hpp"
#include "assay/measure/launcher/run_programs.hpp"
#include "assay/measure/launcher/start_program.hpp"

namespace {

using namespace assay::launcher;
using namespace assay::measure::protocol;

/// Walks through the text block.
struct Texts {
  char* at;
  const char* end;

  /// The next text; nullptr past the end.
  char* next() {
    auto* stop =
        at < end ? static_cast<char*>(std::memchr(at, 0, static_cast<std::size_t>(end - at))) : nullptr;
    if (stop == nullptr) return nullptr;
    auto* text = at;
    at = stop + 1;
    return text;
  }

  bool head(ProgramHead& into) {
    if (end - at < static_cast<std::ptrdiff_t>(sizeof into)) return false;
    std::memcpy(&into, at, sizeof into);
    at += sizeof into;
    return true;
  }
};

void refuse(Reply& reply, int error) {
  for (unsigned i = 0; i < reply.programs; ++i) {
    reply.each[i].failed_step = Step::request;
    reply.each[i].error = error;
  }
}

/// Reads one program's texts; its argument and environment lists are taken from `list`.
bool read_start(Texts& texts, char**& list, Start& start) {
  ProgramHead head;
  if (!texts.head(head)) return false;
  start.directory = texts.next();
  start.path = texts.next();
  start.input = texts.next();
  start.join = texts.next();
  bool complete = start.join != nullptr;
  start.arguments = list;
  for (std::uint32_t i = 0; i < head.arguments && complete; ++i)
    complete = (*list++ = texts.next()) != nullptr;
  *list++ = nullptr;
  start.variables = list;
  for (std::uint32_t i = 0; i < head.variables && complete; ++i)
    complete = (*list++ = texts.next()) != nullptr;
  *list++ = nullptr;
  return complete;
}

/// How many list entries the programs need, from their heads.
std::size_t entries_needed(const char* block, const Request& request) {
  std::size_t entries = 0, at = 0;
  for (unsigned i = 0; i < request.programs && at + sizeof(ProgramHead) <= request.text_bytes; ++i) {
    ProgramHead head;
    std::memcpy(&head, block + at, sizeof head);
    entries += head.arguments + head.variables + 2UL;
    at += sizeof head + head.text_bytes;
  }
  return entries;
}

void serve(const Request& request, const int* fds, Counters& counters, Reply& reply) {
  reply.programs = request.programs;
  const Mapping texts_of_all(request.text_bytes, MAP_PRIVATE, fds[0]);
  auto* block = static_cast<char*>(texts_of_all.memory());
  if (block == nullptr) return refuse(reply, errno);
  const Mapping lists((entries_needed(block, request) + 1) * sizeof(char*), MAP_PRIVATE | MAP_ANONYMOUS, -1);
  auto** list = static_cast<char**>(lists.memory());
  if (list == nullptr) return refuse(reply, errno);
  Start starts[most_programs] = {};
  Texts texts{block, block + request.text_bytes};
  auto** entry = list;
  bool complete = true;
  for (unsigned i = 0; i < request.programs; ++i) {
    complete = complete && read_start(texts, entry, starts[i]);
    starts[i].out = fds[1 + streams * i];
    starts[i].err = fds[2 + streams * i];
    starts[i].samples = fds[3 + streams * i];
  }
  if (!complete)
    refuse(reply, EINVAL);
  else if (request.together != Together::alone)
    run_concurrent(starts, request, reply);
  else
    run_single(starts[0], request, counters, reply);
  reply.counting_error = counters.error();
}

/// Takes the next request and its descriptors; returns how many came. Ends the program with its socket.
unsigned take(Request& request, int* fds) {
  alignas(cmsghdr) char control[CMSG_SPACE(sizeof(int) * most_descriptors)];
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
  if (header == nullptr || header->cmsg_type != SCM_RIGHTS) return 0;
  const auto bytes = header->cmsg_len - CMSG_LEN(0);
  std::memcpy(fds, CMSG_DATA(header), bytes);
  return static_cast<unsigned>(bytes / sizeof(int));
}

/// One turn depends on the one before, so that no compiler and no processor can skip any.
void spin(unsigned long long turns) {
  volatile unsigned long long seed = 88172645463325252ULL;
  unsigned long long x = seed;
  for (; turns > 0; --turns) {
    x ^= x << 13U;
    x ^= x >> 7U;
    x ^= x << 17U;
  }
  seed = x;
}

}  // namespace

int main(int argc, char** argv) {
  if (argc == 3 && std::strcmp(argv[1], "spin") == 0) {
    spin(std::strtoull(argv[2], nullptr, 10));
    return 0;
  }
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
  static Counters counters;
  while (true) {
    int fds[most_descriptors];
    Request request;
    const unsigned came = take(request, fds);
    if (came == 0) continue;  // a cancel or a stop that came too late
    static Reply reply;
    reply = {};
    if (request.programs >= 1 && request.programs <= most_programs && came == 1 + streams * request.programs)
      serve(request, fds, counters, reply);
    else {
      reply.programs = 1;
      refuse(reply, EINVAL);
    }
    for (unsigned i = 0; i < came; ++i) close(fds[i]);
    send(launcher_socket, &reply, sizeof reply, MSG_NOSIGNAL);
  }
}
