#pragma once

#include <string>

namespace assay::inline v1::build {

/// What a finished program says of how it was made, as far as it does: its section .comment, and, of a GCC
/// build with debug information, the options kept there. Sanitizers are told as -fsanitize=address, thread or
/// undefined.
struct ProgramNotes {
  std::string compiler, flags;  ///< empty: it does not say
};
ProgramNotes notes_of_program(const std::string& path);

}  // namespace assay::inline v1::build
