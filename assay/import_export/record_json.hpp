#pragma once

#include <string>

#include "assay/model/log.hpp"

namespace assay::import_export {

/// Everything that judging a campaign starts from, as one JSON document ("assay record 3"), which reads back
/// to the same findings, bit for bit. Builds, checks and warm-ups are among the trials; programs' outputs and
/// paths are not.
std::string record_to_json(const Record& record);

/// Whether a text is such a document, of this format or the one before.
bool is_record(const std::string& text);

/// What record_to_json() wrote, under the id `uid`. `name` is what errors call the text. Throws Error that
/// says in one sentence what is wrong with it.
Record record_from_json(const std::string& text, const std::string& name, const std::string& uid);

}  // namespace assay::import_export
