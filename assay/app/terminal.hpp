#pragma once

/// Texts in columns, for a program's own tables.

#include <memory>

#include "assay/report/format.hpp"

namespace assay::app {

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

}  // namespace assay::app
