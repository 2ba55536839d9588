#pragma once

#include <string>

namespace assay::relink {

/// Where below a build's folder for layouts its captured links are, and its layouts.
std::string links_in(const std::string& folder);
std::string layouts_in(const std::string& folder);

/// Keeps a program as its own link made it, below a build's folder for layouts, and returns the path of that.
/// Once it is kept it is not looked at again. Throws Error where it can't be kept.
std::string back_up_original(const std::string& folder, const std::string& program);

/// Puts `file` into the place of `program`, at once, as a name of the same file: what is running keeps what
/// it has. Both are on one file system. Throws Error where that fails.
void install(const std::string& file, const std::string& program);

/// Puts every program that back_up_original() kept below this folder back into its place, where another is there now
/// (a campaign that was killed leaves a layout). What can't be put back is left.
void restore_originals(const std::string& folder);

}  // namespace assay::relink
