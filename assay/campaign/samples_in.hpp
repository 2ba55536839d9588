#pragma once

#include <string>
#include <vector>

#include "assay/model/campaign.hpp"

namespace assay::campaign {

/// How samples measured elsewhere are to be taken.
struct SamplesAsked {
  std::vector<std::string> factors;  ///< columns that are factors
  std::string baseline;              ///< a candidate; empty: the first
  std::string title;
  double margin = 0.01;        ///< relative
  bool difference = false;     ///< compare by differences rather than ratios
  double absolute_margin = 0;  ///< of differences, in the metrics' unit; 0: any change matters
};

/// A campaign made of samples: CSV with a header, `candidate,workload,metric,value` and, as far as there,
/// `round`, `unit`, `prefer` (lower, higher or neither), the rest factors that `asked` names; or JSON, a list
/// of objects with these keys. Rows with a round are paired by it, rows without are not. Metrics are all
/// watched; those with a value that is not above zero are compared by differences.
///
/// Throws Error that names the line (of JSON: the entry) for a row without a candidate, metric or value, a
/// value that is no finite number, a round that is none, two values of one cell in one round, a metric with
/// two units; for columns that are not known, listing them; for a baseline that is not there, and samples
/// without anything to compare.
Record record_of_csv(const std::string& text, const std::string& name, const SamplesAsked& asked);
Record record_of_json(const std::string& text, const std::string& name, const SamplesAsked& asked);

/// What render::record_to_json wrote, under an id of its own. Throws Error.
Record record_of_export(const std::string& text, const std::string& name);

}  // namespace assay::campaign
