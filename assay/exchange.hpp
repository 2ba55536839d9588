#pragma once

/// Takes samples that were measured elsewhere, and hands campaigns over as JSON or CSV.

#include "assay/engine/session.hpp"
#include "assay/import_export/import_samples.hpp"
#include "assay/import_export/record_json.hpp"
#include "assay/import_export/trials_csv.hpp"
#include "assay/model/clock.hpp"

namespace assay {

using model::Record;

using engine::make_uid;
using import_export::ImportOptions;
using import_export::is_record;
using import_export::record_from_json;
using import_export::record_to_json;
using import_export::write_csv;

/// See exchange::read_csv and exchange::read_json.
inline Record read_samples_csv(std::istream& in, const std::string& name, const ImportOptions& asked) {
  return import_export::read_csv(in, name, asked);
}
inline Record read_samples_json(const std::string& text, const std::string& name,
                                const ImportOptions& asked) {
  return import_export::read_json(text, name, asked);
}

}  // namespace assay
