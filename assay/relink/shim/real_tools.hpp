#pragma once

#include <string>

namespace assay::shim {

/// The folder that this program was started from, with no slash at its end.
std::string own_folder();

/// The linker `name` that the compiler would have taken: in COMPILER_PATH, then in PATH, this program's own
/// folder left out. Empty: there is none.
std::string real_linker(const std::string& name);

/// The compiler proper `name` of the GCC that runs this program: beside the wrapper that it names in the
/// environment, else where it says itself. Empty: there is none.
std::string real_compiler(const std::string& name);

}  // namespace assay::shim
