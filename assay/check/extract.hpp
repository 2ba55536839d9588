#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "assay/model/plan.hpp"

namespace assay::check {

/// One occurrence of a metric in what a program wrote.
struct Match {
  std::optional<double> at;  ///< seconds, where the program prints a time beside it
  double value = 0;
};

/// What was found, or why nothing was.
struct Extracted {
  std::string problem;  ///< in words; empty when there are occurrences
  std::vector<Match> occurrences;
};

/// Looks for a metric of the user's own in `text`: every match of its pattern, or the number or list of
/// numbers that its JSON pointer leads to. A pattern that matches nothing, a group that is not a finite
/// number and a text that is not JSON are problems, shown with the text's head.
///
/// Cost: linear in the text (RE2 never backtracks).
Extracted extract(const PlannedMetric& metric, std::string_view text);

/// Those that come after the lead-in: later than its seconds, or beyond its number of values. Of occurrences
/// without times, none is before its seconds. Cost: linear.
std::vector<Match> drop_lead_in(const LeadIn& lead_in, const std::vector<Match>& occurrences);

/// The number that stands for all occurrences; there must be one at least. Quantiles interpolate (type 8).
/// Cost: a sort at most. Source: Hyndman & Fan 1996.
double pick_one(const Aggregate& pick, const std::vector<Match>& occurrences);

/// Why a pattern can't serve for a metric, in words: not RE2, not one group beside one named `at`. Empty when
/// it can.
std::string pattern_error(const std::string& pattern);
/// Whether a pattern that can serve tells times too.
bool has_time_group(const std::string& pattern);
/// Why a text is no JSON pointer, in words; empty when it is one.
std::string pointer_error(const std::string& pointer);

}  // namespace assay::check
