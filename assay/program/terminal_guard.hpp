#pragma once

#include <iosfwd>
#include <memory>

namespace assay::inline v1::program {

/// While it lives, what passes through std::cout and std::cerr is made printable (model/printable.hpp), but
/// for the colours that findings are set in: names, titles and messages of others can't steer the terminal.
/// One at a time. Not for several threads that write.
class TerminalGuard {
 public:
  TerminalGuard();
  ~TerminalGuard();
  TerminalGuard(const TerminalGuard&) = delete;
  TerminalGuard& operator=(const TerminalGuard&) = delete;

 private:
  class Buffer;
  std::unique_ptr<Buffer> out_, err_;
};

/// Standard output as it is, for formats that escape by themselves and are read back byte for byte.
std::ostream& unguarded_out();

}  // namespace assay::inline v1::program
