#pragma once

#include <string>

namespace assay::measure {

/// The path that executing `name` would take: with a slash relative to `folder`, else the first executable of
/// this name in the folders of PATH. Throws Error that says what is wrong: not there, a folder, not
/// executable. The path is absolute.
std::string find_program(const std::string& name, const std::string& folder);

/// The path of a file that is to be read, relative to `folder` unless absolute. Throws Error when it is not
/// there, a folder, or not readable.
std::string find_readable(const std::string& name, const std::string& folder);

/// The same for a file that every trial is to read: a pipe, which gives its content once, is an Error too.
std::string find_input(const std::string& name, const std::string& folder);

}  // namespace assay::measure
