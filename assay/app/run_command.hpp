#pragma once

#include <string>
#include <vector>

namespace assay::app {

/// Runs a command, in this process's folder, to its end, its output unseen. Throws Error, with `what` and
/// `folder` in it and the last words of the command, when it can't be started or fails.
void run_command(const std::vector<std::string>& command, const std::string& what, const std::string& folder);

}  // namespace assay::app
