#pragma once

#include <string>

#include "assay/build/source.hpp"

namespace assay::build {

/// A folder without git. Its content, but for `.git` and `.assay`, is copied into the cache, so that building
/// it leaves the folder as it was. Throws Error when it can't be read. Cost: reads every file.
Source find_folder(const std::string& folder);
void copy_folder(const Source& source, const std::string& to);

}  // namespace assay::build
