#include "assay/app/terminal.hpp"

#include <poll.h>
#include <sys/eventfd.h>
#include <sys/signalfd.h>
#include <unistd.h>

#include <array>
#include <cerrno>
#include <cstdint>
#include <cstring>
#include <iostream>
#include <streambuf>
#include <string>
#include <string_view>

#include "assay/app/options.hpp"
#include "assay/measure/process.hpp"
#include "assay/measure/program_file.hpp"
#include "assay/model/error.hpp"
#include "assay/model/text.hpp"
#include "assay/render/text_tables.hpp"

namespace assay::app {

namespace {

/// But for the colours of verdicts, which do no harm where others send them.
std::string made_safe(std::string_view text) {
  std::string out;
  while (!text.empty()) {
    std::size_t next = text.size(), length = 0;
    for (const auto colour : render::terminal_codes)
      if (const auto at = text.find(colour); at < next) {
        next = at;
        length = colour.size();
      }
    out += printable(text.substr(0, next));
    out += text.substr(next, length);
    text.remove_prefix(next + length);
  }
  return out;
}

}  // namespace

/// Lets text through a line, or a flush, at a time.
class TerminalGuard::Buffer : public std::streambuf {
 public:
  explicit Buffer(std::ostream& stream) : stream_(stream), to_(stream.rdbuf(this)) {}
  ~Buffer() override {
    sync();
    stream_.rdbuf(to_);
  }
  Buffer(const Buffer&) = delete;
  Buffer& operator=(const Buffer&) = delete;

  bool guards = true;

 protected:
  int overflow(int c) override {
    if (c == traits_type::eof()) return traits_type::not_eof(c);
    waiting_ += static_cast<char>(c);
    return c != '\n' || pass_on() ? c : traits_type::eof();
  }
  std::streamsize xsputn(const char* text, std::streamsize count) override {
    waiting_.append(text, static_cast<std::size_t>(count));
    return waiting_.find('\n') == std::string::npos || pass_on() ? count : 0;
  }
  int sync() override { return pass_on() && to_->pubsync() == 0 ? 0 : -1; }

 private:
  bool pass_on() {
    const auto safe = guards ? made_safe(waiting_) : waiting_;
    waiting_.clear();
    return to_->sputn(safe.data(), static_cast<std::streamsize>(safe.size())) ==
           static_cast<std::streamsize>(safe.size());
  }

  std::ostream& stream_;
  std::streambuf* to_;
  std::string waiting_;
};

TerminalGuard::Buffer* TerminalGuard::guarding_out = nullptr;

TerminalGuard::TerminalGuard()
    : out_(std::make_unique<Buffer>(std::cout)), err_(std::make_unique<Buffer>(std::cerr)) {
  guarding_out = out_.get();
}

TerminalGuard::~TerminalGuard() { guarding_out = nullptr; }

Unguarded::Unguarded() {
  std::cout.flush();
  if (TerminalGuard::guarding_out != nullptr) TerminalGuard::guarding_out->guards = false;
}

Unguarded::~Unguarded() {
  std::cout.flush();
  if (TerminalGuard::guarding_out != nullptr) TerminalGuard::guarding_out->guards = true;
}

StopOnSignals::StopOnSignals() {
  sigset_t heard;
  sigemptyset(&heard);
  for (const int number : {SIGINT, SIGTERM, SIGHUP}) sigaddset(&heard, number);
  signals_ = measure::Descriptor(signalfd(-1, &heard, SFD_CLOEXEC));
  done_ = measure::Descriptor(eventfd(0, EFD_CLOEXEC));
  if (!signals_ || !done_)
    throw Error(std::string("signals can't be listened to: ") + std::strerror(errno), {},
                "look at the limit on open files (ulimit -n)", Error::Code::measuring);
  pthread_sigmask(SIG_BLOCK, &heard, &before_);
  listener_ = std::thread([this] { listen(); });
}

StopOnSignals::~StopOnSignals() {
  measure::wake(done_);
  listener_.join();
  pthread_sigmask(SIG_SETMASK, &before_, nullptr);
}

void StopOnSignals::listen() {
  std::array<pollfd, 2> watched = {{{signals_.get(), POLLIN, 0}, {done_.get(), POLLIN, 0}}};
  while (true) {
    poll(watched.data(), watched.size(), -1);
    if (watched[1].revents != 0) return;
    signalfd_siginfo info{};
    if (watched[0].revents == 0 || read(signals_.get(), &info, sizeof info) != sizeof info) continue;
    if (source_.stop_requested()) _exit(exit_interrupted);
    std::cerr << "\nassay: ending the running trial; once more to stop at once\n";
    source_.request_stop();
  }
}

void run_command(const std::vector<std::string>& command, const std::string& what,
                 const std::string& folder) {
  measure::Launcher launcher;
  const auto result =
      launcher.run({.program = measure::find_program(command.front(), "."), .arguments = command});
  if (result.not_started || result.exit_status != 0 || result.signal != 0)
    throw Error(
        what + " could not be made: " + (result.not_started ? *result.not_started : result.err->tail(500)),
        folder);
}

}  // namespace assay::app
