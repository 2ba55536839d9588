#pragma once

#include <string>

namespace assay::measure {

/// The whole content of a file; empty where it can't be read.
std::string content_of(const std::string& path);

/// Writes a file anew; false where it can't be written.
bool write_file(const std::string& path, const std::string& text);

}  // namespace assay::measure
