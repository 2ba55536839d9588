#include "assay/measure/link.hpp"

#include <fcntl.h>
#include <poll.h>
#include <spawn.h>
#include <sys/mman.h>
#include <sys/socket.h>
#include <sys/wait.h>
#include <unistd.h>

#include <array>
#include <cerrno>
#include <cstring>
#include <vector>

#include "assay/model/error.hpp"

extern "C" {
extern const unsigned char assay_launcher_image[];
extern const unsigned char assay_launcher_image_end[];
}

namespace assay::measure {

void fail_launching(const std::string& what) {
  throw Error(what + ": " + std::strerror(errno), "launcher",
              "look at the limits on processes, files and memory", Error::Code::measuring);
}

void write_all(int fd, const void* bytes, std::size_t count) {
  const auto* at = static_cast<const char*>(bytes);
  while (count > 0) {
    const auto put = write(fd, at, count);
    if (put < 0 && errno == EINTR) continue;
    if (put <= 0) fail_launching("a memory file can't be written");
    at += put;
    count -= static_cast<std::size_t>(put);
  }
}

Descriptor memory_file(const char* name, bool executable) {
  constexpr unsigned may_execute = 0x10;  // MFD_EXEC, which kernels before 6.3 refuse
  Descriptor file(executable ? memfd_create(name, MFD_CLOEXEC | may_execute) : -1);
  if (!file) file = Descriptor(memfd_create(name, MFD_CLOEXEC));
  if (!file) fail_launching("no memory file can be made");
  return file;
}

Descriptor launcher_image() {
  auto image = memory_file("assay-launcher", true);
  write_all(image.get(), assay_launcher_image,
            static_cast<std::size_t>(assay_launcher_image_end - assay_launcher_image));
  return image;
}

Launcher::Link::Link() {
  std::array<int, 2> ends{};
  if (socketpair(AF_UNIX, SOCK_SEQPACKET | SOCK_CLOEXEC, 0, ends.data()) != 0)
    fail_launching("no socket can be made");
  socket_ = Descriptor(ends[0]);
  const Descriptor theirs(ends[1]);
  const auto image = launcher_image();
  spawn(image.get(), theirs.get());
}

Launcher::Link::~Link() {
  socket_ = Descriptor();
  if (pid_ > 0)
    while (waitpid(pid_, nullptr, 0) < 0 && errno == EINTR) {
    }
}

void Launcher::Link::send_run(const protocol::Request& request, std::span<const int> fds) const {
  alignas(cmsghdr) std::array<char, CMSG_SPACE(sizeof(int) * protocol::most_descriptors)> control{};
  iovec content{const_cast<protocol::Request*>(&request), sizeof request};
  msghdr message{};
  message.msg_iov = &content;
  message.msg_iovlen = 1;
  message.msg_control = control.data();
  message.msg_controllen = CMSG_SPACE(fds.size_bytes());
  auto* header = CMSG_FIRSTHDR(&message);
  header->cmsg_level = SOL_SOCKET;
  header->cmsg_type = SCM_RIGHTS;
  header->cmsg_len = CMSG_LEN(fds.size_bytes());
  std::memcpy(CMSG_DATA(header), fds.data(), fds.size_bytes());
  if (sendmsg(socket_.get(), &message, MSG_NOSIGNAL) < 0) fail_launching("the launcher does not listen");
}

protocol::Reply Launcher::Link::wait(std::span<ProcessResult> results, int stop_event) const {
  std::array<pollfd, 2> watched = {{{socket_.get(), POLLIN, 0}, {stop_event, POLLIN, 0}}};
  while (true) {
    constexpr int now_and_then_ms = 100;
    const int ready = poll(watched.data(), watched.size(), now_and_then_ms);
    if (ready < 0 && errno != EINTR) fail_launching("the launcher can't be waited for");
    if (ready > 0 && watched[1].revents != 0) {
      const protocol::Request cancel{.kind = protocol::Kind::cancel};
      send(socket_.get(), &cancel, sizeof cancel, MSG_NOSIGNAL);
      watched[1].fd = -1;
    }
    if (ready > 0 && watched[0].revents != 0) break;
    for (const auto& result : results) {
      if (result.out) result.out->relieve();
      if (result.err) result.err->relieve();
      if (result.samples) result.samples->relieve();
    }
  }
  protocol::Reply reply;
  if (recv(socket_.get(), &reply, sizeof reply, 0) != static_cast<ssize_t>(sizeof reply))
    throw Error("the launcher process has gone", "launcher", "was it killed for want of memory?",
                Error::Code::measuring);
  return reply;
}

void Launcher::Link::spawn(int image, int their_socket) {
  posix_spawn_file_actions_t actions;
  posix_spawn_file_actions_init(&actions);
  for (const int standard : {0, 1, 2})
    posix_spawn_file_actions_addopen(&actions, standard, "/dev/null", O_RDWR, 0);
  posix_spawn_file_actions_adddup2(&actions, their_socket, protocol::launcher_socket);
  const std::string path = "/proc/self/fd/" + std::to_string(image);
  std::string name = "assay-launcher";
  std::array<char*, 2> arguments = {name.data(), nullptr};
  std::array<char*, 1> no_variables = {nullptr};
  const int failed =
      posix_spawn(&pid_, path.c_str(), &actions, nullptr, arguments.data(), no_variables.data());
  posix_spawn_file_actions_destroy(&actions);
  if (failed != 0) {
    errno = failed;
    fail_launching("the launcher can't be started");
  }
}

std::string spinner_path() {
  static const Descriptor image = launcher_image();
  return "/proc/" + std::to_string(getpid()) + "/fd/" + std::to_string(image.get());
}

std::vector<int> cores_allowed() {
  cpu_set_t set;
  CPU_ZERO(&set);
  sched_getaffinity(0, sizeof set, &set);
  std::vector<int> cores;
  for (int core = 0; core < CPU_SETSIZE; ++core)
    if (CPU_ISSET(static_cast<std::size_t>(core), &set)) cores.push_back(core);
  return cores;
}

}  // namespace assay::measure
