#pragma once

/// Takes samples that were measured elsewhere, and hands campaigns over as JSON or CSV.

#include "assay/campaign/identity.hpp"
#include "assay/exchange/read_file.hpp"
#include "assay/exchange/record_json.hpp"
#include "assay/exchange/samples.hpp"
#include "assay/exchange/trials_csv.hpp"
#include "assay/model/moment.hpp"

namespace assay {

using model::Record;

using campaign::make_uid;
using exchange::ImportOptions;
using exchange::is_record;
using exchange::record_from_json;
using exchange::record_to_json;
using exchange::write_csv;

/// See exchange::read_csv and exchange::read_json.
inline Record read_samples_csv(std::istream& in, const std::string& name, const ImportOptions& asked) {
  return exchange::read_csv(in, name, asked);
}
inline Record read_samples_json(const std::string& text, const std::string& name,
                                const ImportOptions& asked) {
  return exchange::read_json(text, name, asked);
}

}  // namespace assay
