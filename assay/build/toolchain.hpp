#pragma once

#include <string>
#include <vector>

#include "assay/measure/process.hpp"

namespace assay::build {

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
