#pragma once

#include <string>
#include <vector>

#include "assay/measure/process.hpp"

namespace assay::build {

/// What a finished program says of how it was made, as far as it does: its section .comment, and, of a GCC
/// build with debug information, the options kept there. Sanitizers are given as -fsanitize=address, thread
/// or undefined.
struct CompilerInfo {
  std::string compiler, flags;  ///< empty: it does not say
};
CompilerInfo compiler_info(const std::string& path);

/// Names the compilers and tools that steps would use: the first lines of what the C and C++ compilers (CC
/// and CXX, else cc and c++) say of their version, the digests of the steps' own programs, and the variables
/// that compilers go by. Equal texts build alike.
std::string toolchain_of(measure::Launcher& launcher, const std::vector<std::vector<std::string>>& steps);

/// How a build compiled, in sorted words: options of optimisation, code generation, language and definitions,
/// from every command of compile_commands.json in `out` or `source`; where there is none, from the steps
/// themselves. A compiler command without an -O has -O0. Empty: nothing is known.
std::string flags_of_build(const std::string& out, const std::string& source,
                           const std::vector<std::vector<std::string>>& steps);

}  // namespace assay::build
