#include "assay/measure/launcher_connection.hpp"

#include <fcntl.h>
#include <poll.h>
#include <spawn.h>
#include <sys/eventfd.h>
#include <sys/mman.h>
#include <sys/socket.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <cerrno>
#include <chrono>
#include <csignal>
#include <cstring>
#include <thread>
#include <vector>

#include "assay/measure/file_io.hpp"
#include "assay/measure/launcher/process_tree.hpp"
#include "assay/measure/launcher_request.hpp"
#include "assay/model/error.hpp"
#include "assay/model/own_files.hpp"

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
  if (!write_bytes(fd, bytes, count)) fail_launching("a memory file can't be written");
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

namespace {

/// Whether a child of ours has ended; waits at most `seconds` for it, and reaps it.
bool is_reaped_within(pid_t pid, double seconds) noexcept {
  const Deadline deadline(seconds);
  auto pause = std::chrono::microseconds(20);
  while (true) {
    const pid_t got = waitpid(pid, nullptr, WNOHANG);
    if (got == pid || (got < 0 && errno != EINTR)) return true;
    if (deadline.is_over()) return false;
    std::this_thread::sleep_for(pause);
    pause = std::min(2 * pause, std::chrono::microseconds(10'000));
  }
}

bool is_readable_within(int file, double seconds) {
  pollfd watched{file, POLLIN, 0};
  const Deadline deadline(seconds);
  constexpr int now_and_then_ms = 100;
  while (true) {
    const int ready = poll(&watched, 1, seconds > 0 ? now_and_then_ms : 0);
    if (ready > 0 || deadline.is_over()) return ready > 0;
  }
}

}  // namespace

LauncherConnection::LauncherConnection(double patience) : patience_(patience) {
  std::array<int, 2> ends{};
  if (socketpair(AF_UNIX, SOCK_SEQPACKET | SOCK_CLOEXEC, 0, ends.data()) != 0)
    fail_launching("no socket can be made");
  socket_ = Descriptor(ends[0]);
  const Descriptor theirs(ends[1]);
  const auto image = launcher_image();
  spawn(image.get(), theirs.get());
}

LauncherConnection::~LauncherConnection() {
  socket_ = Descriptor();  // at its end the launcher process clears up and exits
  if (pid_ > 0 && !is_reaped_within(pid_, patience_)) kill();
}

/// Makes an end of the launcher process and of what it runs.
void LauncherConnection::kill() noexcept {
  constexpr int passes = 3;  // what a parent made while it was looked at is found by the next
  for (int pass = 0; pass < passes; ++pass) launcher::kill_below(pid_);
  ::kill(pid_, SIGKILL);
  constexpr double at_most = 1;  // one that hangs in the kernel is left to it
  is_reaped_within(pid_, at_most);
  pid_ = -1;
}

void LauncherConnection::fail(const std::string& what, const std::string& remedy) {
  kill();
  throw Error(what, "launcher", remedy, Error::Code::launcher_lost);
}

void LauncherConnection::send_run(const protocol::Request& request, std::span<const int> fds) const {
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
  if (sendmsg(socket_.get(), &message, MSG_NOSIGNAL) >= 0) return;
  if (errno == EPIPE || errno == ECONNRESET)
    throw Error("the launcher does not listen", "launcher", {}, Error::Code::launcher_lost);
  fail_launching("the launcher does not listen");
}

std::optional<pid_t> LauncherConnection::started() {
  if (!is_readable_within(socket_.get(), patience_))
    fail("the launcher did not start its program", "does its file lie on a disk that hangs?");
  protocol::Started started;
  // A reply, which is longer, is left for wait().
  const auto size = recv(socket_.get(), &started, sizeof started, MSG_PEEK | MSG_TRUNC);
  if (size != static_cast<ssize_t>(sizeof started)) return {};
  recv(socket_.get(), &started, sizeof started, 0);
  return started.pid;
}

bool LauncherConnection::has_answered() const { return is_readable_within(socket_.get(), 0); }

void LauncherConnection::request_stop(int signal_number, double grace) const {
  const protocol::Request request{
      .kind = protocol::Kind::stop, .signal = signal_number, .grace_ns = nanoseconds(grace)};
  send(socket_.get(), &request, sizeof request, MSG_NOSIGNAL);
}

protocol::Reply LauncherConnection::wait(LauncherRequest& exchange, double allowance,
                                         const std::stop_token& stop) {
  const Descriptor stop_event(eventfd(0, EFD_CLOEXEC));
  const std::stop_callback on_stop(stop, [&] { wake(stop_event); });
  std::array<pollfd, 2> watched = {{{socket_.get(), POLLIN, 0}, {stop_event.get(), POLLIN, 0}}};
  Deadline deadline(allowance + patience_);
  const int now_and_then_ms = exchange.relief_interval(), a_second = 1000 / now_and_then_ms;
  for (int waits = 1;; ++waits) {
    const int ready = poll(watched.data(), watched.size(), now_and_then_ms);
    if (ready == 0 && waits % a_second == 0 && launcher::state_of(pid_) == 'T')
      fail("the launcher process was stopped, by its program or another, and was killed with it", {});
    if (ready < 0 && errno != EINTR) fail_launching("the launcher can't be waited for");
    if (ready > 0 && watched[0].revents != 0) break;
    if (ready > 0 && watched[1].revents != 0) {
      const protocol::Request cancel{.kind = protocol::Kind::cancel};
      send(socket_.get(), &cancel, sizeof cancel, MSG_NOSIGNAL);
      watched[1].fd = -1;
      deadline.at_most(exchange.grace() + patience_);
    }
    if (deadline.is_over())
      fail("the launcher did not answer when its program's time was over, and was killed with it",
           "a program that can't be ended waits in the kernel: for a disk or a network that hangs?");
    exchange.relieve();
  }
  protocol::Reply reply;
  if (recv(socket_.get(), &reply, sizeof reply, 0) != static_cast<ssize_t>(sizeof reply))
    fail("the launcher process has gone", "was it killed for want of memory?");
  return reply;
}

void LauncherConnection::spawn(int image, int their_socket) {
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

std::string calibration_program() {
  static const Descriptor image = launcher_image();
  return "/proc/" + std::to_string(getpid()) + "/fd/" + std::to_string(image.get());
}

std::vector<int> cores_allowed() {
  // Kernels with more cores than a cpu_set_t has refuse one that is too small.
  constexpr std::size_t most = 1U << 16U;
  for (std::size_t count = CPU_SETSIZE; count <= most; count *= 2) {
    const auto size = CPU_ALLOC_SIZE(count);
    std::vector<unsigned long> words(size / sizeof(unsigned long));
    auto* set = reinterpret_cast<cpu_set_t*>(words.data());
    if (sched_getaffinity(0, size, set) != 0) continue;
    std::vector<int> cores;
    for (std::size_t core = 0; core < CPU_SETSIZE; ++core)  // those that programs can be pinned to
      if (CPU_ISSET_S(core, size, set)) cores.push_back(static_cast<int>(core));
    if (!cores.empty()) return cores;
  }
  return {0};  // there is one at least
}

}  // namespace assay::measure
