#pragma once

#include <string>

namespace assay::measure {

/// Drops a file from the page cache, writing back first what is not on disk yet, so that its next reader
/// finds it cold. Returns the share of its pages that stayed all the same (0 is what one hopes for; files in
/// memory file systems, and pages that a running program maps, can't be dropped). No privilege is needed.
/// Throws Error when the file can't be read. Cost: a write-back, and linear in the file's pages.
double drop_from_cache(const std::string& path);

}  // namespace assay::measure
