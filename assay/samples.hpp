#pragma once

/// Judges numbers that were measured elsewhere, and passes campaigns on as JSON or CSV.
///
///   std::cout << assay::compare_paired(before, after, {.unit = "ms", .margin = 0.01});
///   std::cout << assay::compare_samples(assay::read_samples("times.csv"));

#include "assay/app/samples.hpp"
#include "assay/import_export/import_export.hpp"
#include "assay/results.hpp"

namespace assay {

using app::compare_paired;
using app::compare_samples;
using app::compare_unpaired;
using app::read_samples;
using app::SampleOptions;
using import_export::ImportOptions;
using import_export::is_record;
using import_export::record_from_json;
using import_export::record_to_json;
using import_export::write_csv;

}  // namespace assay
