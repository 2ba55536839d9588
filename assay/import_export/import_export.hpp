#pragma once

#include <cstdint>
#include <istream>
#include <ostream>
#include <string>
#include <string_view>
#include <vector>

#include "assay/model/log.hpp"

namespace assay::import_export {

/// How samples measured elsewhere are to be taken.
struct ImportOptions {
  std::vector<std::string> factors;  ///< columns that are factors
  std::string baseline;              ///< a candidate; empty: the first
  std::string title;
  std::string uid;             ///< of the campaign that they become
  std::int64_t started = 0;    ///< milliseconds since 1970
  double margin = 0.01;        ///< relative
  bool difference = false;     ///< compare by differences rather than ratios
  double absolute_margin = 0;  ///< of differences, in the metrics' unit; 0: any change matters
};

/// A campaign made of samples: CSV with a header, `candidate,workload,metric,value` and, as far as there,
/// `round`, `unit`, `prefer` (lower, higher or neither), the rest factors that `asked` names; or JSON, a list
/// of objects with these keys. Rows with a round are paired by it, rows without are not. Metrics are all
/// watched; those with a value that is not above zero are compared by differences.
///
/// Throws Error that names line and column (of JSON: entry and key) for a row without a candidate, metric or
/// value, a value that is no finite number of double precision, a round or level that is too large to be kept
/// as it is, two values of one cell in one round, a metric with two units; for columns that are not known,
/// listing them; for a baseline that is not there, and samples without anything to compare.
///
/// CSV is read as it comes; cost: about a microsecond a row, and its value in memory.
Record read_csv(std::istream& in, const std::string& name, const ImportOptions& asked);
Record read_json(const std::string& text, const std::string& name, const ImportOptions& asked);

/// The campaign in a file: what record_to_json() wrote, or samples as JSON, when its name ends in ".json",
/// else samples as CSV. `asked.uid` names it in every case. Throws Error, also when the file can't be read.
Record read_file(const std::string& path, const ImportOptions& asked);

/// Everything that judging a campaign starts from, as one JSON document ("assay record 3"), which reads back
/// to the same findings, bit for bit. Builds, checks and warm-ups are among the trials; programs' outputs and
/// paths are not.
std::string record_to_json(const Record& record);

/// Whether a text is such a document, of this format or the one before.
bool is_record(const std::string& text);

/// What record_to_json() wrote, under the id `uid`. `name` is what errors call the text. Throws Error that
/// says in one sentence what is wrong with it.
Record record_from_json(const std::string& text, const std::string& name, const std::string& uid);

/// A text as a field of CSV: in quotes where it has to be, and after an apostrophe where a spreadsheet would
/// take it for a formula (it begins with = + - @, a tab or an apostrophe).
std::string csv_field(const std::string& text);

/// The text that such a field stands for, its quotes taken off already: without that apostrophe.
std::string_view csv_text(std::string_view field);

/// Writes a campaign's judged values, a row each:
/// `candidate,workload,FACTORS…,metric,value,round,unit,prefer` (RFC 4180), metric by metric. Without twins
/// and the facts about the machine. Numbers read back as they are.
void write_csv(const Record& record, std::ostream& out);

}  // namespace assay::import_export
