#pragma once

#include <cstddef>
#include <string>

namespace assay::inline v1::report {

/// How many terminal cells a UTF-8 text takes, each character counted as one.
std::size_t cells_of(const std::string& text);

/// Text filled with spaces to `width` cells, or cut to it with "…".
std::string left(const std::string& text, std::size_t width);
std::string right(const std::string& text, std::size_t width);

}  // namespace assay::inline v1::report
