#pragma once

#include <string>

#include "assay/exchange/samples.hpp"

namespace assay::exchange {

/// The campaign in a file: what record_to_json() wrote, or samples as JSON, when its name ends in ".json",
/// else samples as CSV. `asked.uid` names it in every case. Throws Error, also when the file can't be read.
Record read_file(const std::string& path, const ImportOptions& asked);

}  // namespace assay::exchange
