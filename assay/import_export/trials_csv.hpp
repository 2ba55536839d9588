#pragma once

#include <ostream>
#include <string>
#include <string_view>

#include "assay/model/log.hpp"

namespace assay::import_export {

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
