#pragma once

#include <string>

#include "assay/relink/shim/real_tools.hpp"

namespace assay::shim {

/// Keeps what is needed to do a link again, in a folder of its own below `folder`: a file `link`, of texts
/// that end in NUL (see assay/relink/captured_links.hpp), and links to, or copies of, its inputs, but for
/// those of the system. Why it could not be kept is appended to `folder`/problems. What ends in no program or
/// library is not kept.
void record(const std::string& folder, const std::string& linker, const Words& arguments);

}  // namespace assay::shim
