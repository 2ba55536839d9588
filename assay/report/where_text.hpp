#pragma once

#include <string>
#include <vector>

#include "assay/model/design.hpp"
#include "assay/model/finding.hpp"
#include "assay/model/results.hpp"
#include "assay/model/where.hpp"

namespace assay::report {

/// All blocks of a campaign's findings: that of each comparison that was looked into, or why nothing is named, and what
/// limits them; wrapped to the width of texts.
std::vector<std::string> where_block(const Findings& findings);

/// A line of the table of a block, as it is shown.
struct WhereRow {
  std::string name, baseline, candidate, change, interval, of_all, word;
  double shift = 0, low = 0, high = 0;  ///< the change and its interval, in the block's unit
};

/// What a block says.
struct WhereView {
  std::string title;
  std::string baseline, candidate;  ///< their names
  std::string unit;
  double factor = 1;           ///< units in a second
  std::vector<WhereRow> rows;  ///< functions that were named (five at most), all else, together
  std::vector<std::string> sentences;
};

/// Figures of a column add up as printed: what is left over by rounding is in "all else".
WhereView where_view(const Where& where, const Design& design);

/// All functions with 0.1 % of the time or more, what is smaller, what was not sampled and the whole: name, file,
/// baseline, candidate, change, interval, word, code ("same", "other", or nothing).
std::vector<std::vector<std::string>> where_details(const Where& where);

/// The block that says where the CPU time of a comparison has changed: a title, a table of the functions that
/// were named (five at most), of all else and of the whole, and up to three sentences.
std::vector<std::string> where_lines(const Where& where, const Design& design);

/// Why no function is named where the sampled rounds contradict what was found before (judge::contradicts()). Empty
/// where they agree.
std::string contradiction_text(const Where& where, const Finding& before, const Metric& metric);

}  // namespace assay::report
