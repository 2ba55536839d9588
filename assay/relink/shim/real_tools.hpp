#pragma once

#include <string>
#include <vector>

namespace assay::shim {

/// The folder that this program was started from, with no slash at its end.
std::string own_folder();

/// Notes in the environment that this stand-in passes the call on, so that no other passes it back. False where too
/// many have.
bool pass_on();

/// The linker `name` that the compiler would have taken: in COMPILER_PATH, then in PATH, this program's own
/// folder and those of other stand-ins left out. Empty: there is none.
std::string real_linker(const std::string& name);

/// The compiler proper `name` of the GCC that runs this program: beside the wrapper that it names in the
/// environment, else where it says itself. Empty: there is none.
std::string real_compiler(const std::string& name);

using Words = std::vector<std::string>;

/// Arguments with the content of each `@FILE` in its place, as the linker reads it: words between white
/// space; quotes hold words together, a backslash takes the next character as it is. A file that can't be
/// read stays as it is written.
Words expanded(const Words& arguments);

/// The whole content of a file; false where it can't be read.
bool read_whole(const std::string& path, std::string& into);

}  // namespace assay::shim
