#include "assay/app/signals.hpp"

#include <poll.h>
#include <sys/eventfd.h>
#include <sys/signalfd.h>
#include <unistd.h>

#include <array>
#include <cstdint>
#include <iostream>

#include "assay/app/options.hpp"

namespace assay::app {

StopOnSignals::StopOnSignals() {
  sigset_t heard;
  sigemptyset(&heard);
  for (const int number : {SIGINT, SIGTERM, SIGHUP}) sigaddset(&heard, number);
  pthread_sigmask(SIG_BLOCK, &heard, &before_);
  signals_ = measure::Descriptor(signalfd(-1, &heard, SFD_CLOEXEC));
  done_ = measure::Descriptor(eventfd(0, EFD_CLOEXEC));
  listener_ = std::thread([this] { listen(); });
}

StopOnSignals::~StopOnSignals() {
  const std::uint64_t one = 1;
  [[maybe_unused]] const auto put = write(done_.get(), &one, sizeof one);
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

}  // namespace assay::app
