#include "assay/measure/process.hpp"

#include <fcntl.h>
#include <poll.h>
#include <spawn.h>
#include <sys/eventfd.h>
#include <sys/mman.h>
#include <sys/socket.h>
#include <sys/wait.h>
#include <unistd.h>

#include <array>
#include <cerrno>
#include <cmath>
#include <cstring>

#include "assay/measure/launcher/protocol.hpp"
#include "assay/model/error.hpp"

extern "C" {
extern const unsigned char assay_launcher_image[];
extern const unsigned char assay_launcher_image_end[];
}
extern char** environ;  // NOLINT(readability-redundant-declaration): unistd.h has it only as an extension

namespace assay::measure {
namespace {

[[noreturn]] void fail(const std::string& what) {
  throw Error(what + ": " + std::strerror(errno), "launcher",
              "look at the limits on processes, files and memory", Error::Kind::measuring);
}

void write_all(int fd, const void* bytes, std::size_t count) {
  const auto* at = static_cast<const char*>(bytes);
  while (count > 0) {
    const auto put = write(fd, at, count);
    if (put < 0 && errno == EINTR) continue;
    if (put <= 0) fail("a memory file can't be written");
    at += put;
    count -= static_cast<std::size_t>(put);
  }
}

Descriptor memory_file(const char* name, bool executable) {
  constexpr unsigned may_execute = 0x10;  // MFD_EXEC, which kernels before 6.3 refuse
  Descriptor file(executable ? memfd_create(name, MFD_CLOEXEC | may_execute) : -1);
  if (!file) file = Descriptor(memfd_create(name, MFD_CLOEXEC));
  if (!file) fail("no memory file can be made");
  return file;
}

/// Texts of a request, each NUL-ended, in the order that the protocol says.
std::string text_block(const Command& command, std::uint32_t& variables) {
  std::string block;
  const auto add = [&](const std::string& text) { block.append(text.c_str(), text.size() + 1); };
  add(command.directory);
  add(command.program);
  add(command.stdin_file.empty() ? "/dev/null" : command.stdin_file);
  for (const auto& argument : command.arguments) add(argument);
  variables = 0;
  for (char** variable = environ; *variable != nullptr; ++variable, ++variables) add(*variable);
  return block;
}

std::string why_not_started(protocol::Step step, int error, const Command& command) {
  const std::string reason = std::strerror(error);
  switch (step) {
    case protocol::Step::directory:
      return "its working directory " + command.directory + " can't be entered: " + reason;
    case protocol::Step::input:
      return "its input " + command.stdin_file + " can't be read: " + reason;
    case protocol::Step::exec:
      return command.program + " can't be executed: " + reason;
    default:
      return "it can't be started: " + reason;
  }
}

}  // namespace

/// The launcher process and the socket to it.
class Launcher::Link {
 public:
  Link() {
    std::array<int, 2> ends{};
    if (socketpair(AF_UNIX, SOCK_SEQPACKET | SOCK_CLOEXEC, 0, ends.data()) != 0)
      fail("no socket can be made");
    socket_ = Descriptor(ends[0]);
    const Descriptor theirs(ends[1]);
    const auto image = memory_file("assay-launcher", true);
    write_all(image.get(), assay_launcher_image,
              static_cast<std::size_t>(assay_launcher_image_end - assay_launcher_image));
    spawn(image.get(), theirs.get());
  }

  ~Link() {
    socket_ = Descriptor();
    if (pid_ > 0)
      while (waitpid(pid_, nullptr, 0) < 0 && errno == EINTR) {
      }
  }

  Link(const Link&) = delete;
  Link& operator=(const Link&) = delete;

  void send_run(const protocol::Request& request, std::array<int, protocol::descriptors> fds) const {
    alignas(cmsghdr) std::array<char, CMSG_SPACE(sizeof fds)> control{};
    iovec content{const_cast<protocol::Request*>(&request), sizeof request};
    msghdr message{};
    message.msg_iov = &content;
    message.msg_iovlen = 1;
    message.msg_control = control.data();
    message.msg_controllen = control.size();
    auto* header = CMSG_FIRSTHDR(&message);
    header->cmsg_level = SOL_SOCKET;
    header->cmsg_type = SCM_RIGHTS;
    header->cmsg_len = CMSG_LEN(sizeof fds);
    std::memcpy(CMSG_DATA(header), fds.data(), sizeof fds);
    if (sendmsg(socket_.get(), &message, MSG_NOSIGNAL) < 0) fail("the launcher does not listen");
  }

  void send_cancel() const {
    const protocol::Request cancel{.kind = protocol::Kind::cancel};
    send(socket_.get(), &cancel, sizeof cancel, MSG_NOSIGNAL);
  }

  /// Waits for the reply; relieves the captures now and then, and passes a stop request on, once.
  protocol::Reply wait(ProcessResult& result, int stop_event) const {
    std::array<pollfd, 2> watched = {{{socket_.get(), POLLIN, 0}, {stop_event, POLLIN, 0}}};
    while (true) {
      constexpr int now_and_then_ms = 100;
      const int ready = poll(watched.data(), watched.size(), now_and_then_ms);
      if (ready < 0 && errno != EINTR) fail("the launcher can't be waited for");
      if (ready > 0 && watched[1].revents != 0) {
        send_cancel();
        watched[1].fd = -1;
      }
      if (ready > 0 && watched[0].revents != 0) break;
      result.out->relieve();
      result.err->relieve();
    }
    protocol::Reply reply;
    if (recv(socket_.get(), &reply, sizeof reply, 0) != static_cast<ssize_t>(sizeof reply))
      throw Error("the launcher process has gone", "launcher", "was it killed for want of memory?",
                  Error::Kind::measuring);
    return reply;
  }

 private:
  void spawn(int image, int their_socket) {
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
      fail("the launcher can't be started");
    }
  }

  Descriptor socket_;
  pid_t pid_ = -1;
};

Launcher::Launcher() : link_(std::make_unique<Link>()) {}
Launcher::~Launcher() = default;

ProcessResult Launcher::run(const Command& command, const std::stop_token& stop) {
  if (!link_) link_ = std::make_unique<Link>();
  ProcessResult result;
  result.out = std::make_unique<Capture>("assay-stdout");
  result.err = std::make_unique<Capture>("assay-stderr");

  protocol::Request request;
  request.arguments = static_cast<std::uint32_t>(command.arguments.size());
  const auto block = text_block(command, request.variables);
  request.text_bytes = block.size();
  request.timeout_ns = std::llround(std::min(command.timeout, 1e9) * 1e9);
  request.grace_ns = std::llround(std::min(command.grace, 1e9) * 1e9);
  const auto texts = memory_file("assay-request", false);
  write_all(texts.get(), block.data(), block.size());

  const Descriptor stop_event(eventfd(0, EFD_CLOEXEC));
  const std::stop_callback on_stop(stop, [&] {
    const std::uint64_t one = 1;
    [[maybe_unused]] const auto put = write(stop_event.get(), &one, sizeof one);
  });
  protocol::Reply reply;
  try {
    link_->send_run(request, {texts.get(), result.out->descriptor(), result.err->descriptor()});
    reply = link_->wait(result, stop_event.get());
  } catch (const Error&) {
    link_.reset();
    throw;
  }
  if (reply.failed_step != protocol::Step::none) {
    result.not_started = why_not_started(reply.failed_step, reply.error, command);
    return result;
  }
  result.exit_status = WIFEXITED(reply.status) ? WEXITSTATUS(reply.status) : 0;
  result.signal = WIFSIGNALED(reply.status) ? WTERMSIG(reply.status) : 0;
  result.timed_out = reply.timed_out != 0;
  result.interrupted = reply.cancelled != 0;
  result.wall = static_cast<double>(reply.wall_ns) * 1e-9;
  result.user = static_cast<double>(reply.user_us) * 1e-6;
  result.system = static_cast<double>(reply.system_us) * 1e-6;
  result.peak_memory = static_cast<double>(reply.peak_kib) * 1024;
  result.leftovers = reply.leftovers;
  result.out->finish();
  result.err->finish();
  return result;
}

}  // namespace assay::measure
