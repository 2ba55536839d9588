#pragma once

#include <span>
#include <string>

#include "assay/import_export/import_export.hpp"
#include "assay/model/results.hpp"
#include "assay/render/results.hpp"

namespace assay::app {

/// What samples are.
struct SampleOptions {
  std::string metric = "value", unit;
  double margin = 0.01;  ///< the smallest relative change that matters
  bool higher_is_better = false;
  std::string baseline = "baseline", candidate = "candidate";  ///< names for the results
};

/// Compares values that were measured in pairs: baseline[i] and candidate[i] in the same round, under the
/// same conditions. Judged as rounds of a campaign are, by clipped signed ranks (judge/paired_test.hpp).
///
///   std::cout << assay::compare_paired(before, after, {.unit = "ms"});
///
/// Throws DomainError for sequences of different lengths or without values, and for values that are not
/// finite. Cost: O(n log n).
render::Results compare_paired(std::span<const double> baseline, std::span<const double> candidate,
                               const SampleOptions& options = {});

/// Compares two samples that were measured separately, by ranks (judge/unpaired.hpp). What changed between
/// the two times is in the difference, and the results say so.
render::Results compare_unpaired(std::span<const double> baseline, std::span<const double> candidate,
                                 const SampleOptions& options = {});

/// Judges a campaign, or samples that were read from a file: compare_samples(read_samples("times.csv")).
render::Results compare_samples(Record record);

/// Reads a file of samples or an exported campaign, see import_export::read_file().
Record read_samples(const std::string& path, const import_export::ImportOptions& options = {});

/// A contest's judged readings as JSON lines, in the order of the rounds (docs/samples.md).
std::string to_samples(const Record& record);

/// Writes them to the descriptor that ASSAY_SAMPLES names, if it names one. Throws Error when they can't be
/// written.
void write_samples(const Record& record);

}  // namespace assay::app
