#pragma once

#include <string>

namespace assay::build {

/// What a finished program says of how it was made, as far as it does: its section .comment, and, of a GCC
/// build with debug information, the options kept there. Sanitizers are told as -fsanitize=address, thread or
/// undefined.
struct CompilerInfo {
  std::string compiler, flags;  ///< empty: it does not say
};
CompilerInfo compiler_info(const std::string& path);

}  // namespace assay::build
