#pragma once

#include <signal.h>

#include <memory>
#include <stop_token>
#include <string>
#include <thread>
#include <vector>

#include "assay/measure/file_io.hpp"
#include "assay/report/format.hpp"

namespace assay::app {

/// While it lives, Ctrl-C, TERM and HUP become a stop request; a second one ends the program at once, which
/// also ends what it is measuring. To be made before any other thread.
class StopOnSignals {
 public:
  StopOnSignals();
  ~StopOnSignals();
  StopOnSignals(const StopOnSignals&) = delete;
  StopOnSignals& operator=(const StopOnSignals&) = delete;

  std::stop_token token() const { return source_.get_token(); }

 private:
  void listen();

  sigset_t before_{};
  measure::Descriptor signals_, done_;
  std::stop_source source_;
  std::thread listener_;
};

/// While it lives, what passes through std::cout and std::cerr is made printable (model/text.hpp), but
/// for the colours that findings are set in: names, titles and messages of others can't steer the terminal.
/// One at a time. Not for several threads that write.
class TerminalGuard {
 public:
  TerminalGuard();
  ~TerminalGuard();
  TerminalGuard(const TerminalGuard&) = delete;
  TerminalGuard& operator=(const TerminalGuard&) = delete;

 private:
  friend class Unguarded;
  class Buffer;
  std::unique_ptr<Buffer> out_, err_;
  static Buffer* guarding_out;
};

/// While it lives, std::cout goes past the guard: for formats that escape by themselves and are read back
/// byte for byte.
class Unguarded {
 public:
  Unguarded();
  ~Unguarded();
  Unguarded(const Unguarded&) = delete;
  Unguarded& operator=(const Unguarded&) = delete;
};

using report::display_width;
using report::pad_left;
using report::pad_right;

/// Runs a command, in this process's folder, to its end, its output unseen. Throws Error, with `what` and
/// `folder` in it and the last words of the command, when it can't be started or fails.
void run_command(const std::vector<std::string>& command, const std::string& what, const std::string& folder);

}  // namespace assay::app
