#pragma once

#include <string>
#include <vector>

namespace assay::shim {

using Words = std::vector<std::string>;

/// Arguments with the content of each `@FILE` in its place, as the linker reads it: words between white
/// space; quotes hold words together, a backslash takes the next character as it is. A file that can't be
/// read stays as it is written.
Words expanded(const Words& arguments);

/// The whole content of a file; false where it can't be read.
bool read_whole(const std::string& path, std::string& into);

}  // namespace assay::shim
