#pragma once

#include <string>
#include <vector>

namespace assay::relink {

/// Lays the shim out below `folder`, once for each of its versions, under the names of the programs that it
/// stands in for, and returns the absolute folder that they are in. Throws Error where it can't be written.
std::string shim_folder(const std::string& folder);

/// What a build step's environment gets besides, so that its links are kept below `links` and each function
/// has a section of its own: `NAME=value`. `shim` is shim_folder()'s.
std::vector<std::string> capturing_environment(const std::string& shim, const std::string& links);

}  // namespace assay::relink
