#pragma once

#include <cstddef>
#include <optional>
#include <string>

#include "assay/model/design.hpp"
#include "assay/model/finding.hpp"
#include "assay/model/metric.hpp"

namespace assay::report {

// Figures inside sentences.

/// To about three digits, without zeros at the end: "0.31", "12.4", "1200".
std::string short_number(double value);

/// The size of a share in per cent, whatever its sign: -0.052 gives "5.2 %".
std::string percent(double share);

/// A change by a share with its sign: "+4.9 %", "−0.3 %", "0 %"; "×2.1" from twice on.
std::string percent_change(double share);

/// A number as a plan would write it.
std::string exact_number(double value);

/// Three significant digits without exponent where a person would write none: "412", "0.0031", "1.2e+09".
std::string number_text(double value);

/// A value in the unit a person reads: 0.4123 "s" is "412 ms", 1.4e9 "B" is "1.30 GiB", 0.5 "" is "0.5".
std::string value_text(double value, const std::string& unit);

/// A value for a column whose head names the unit: like value_text for seconds and bytes, else a number
/// alone, from 10 000 on in thousands (k), millions (M) or milliards (G).
std::string cell_value_text(double value, const std::string& unit);

/// A span of time for plans and progress: "0.4 s", "38 s", "4 min 10 s", "2 h 05 min".
std::string duration(double seconds);

/// A ratio as a change: 0.925 is "−7.5 %", 1.0012 is "+0.12 %", 3.4 is "×3.4", 0.001 is "÷1 000". From a
/// factor of 2 on as a factor. Infinite and zero ratios as "any".
std::string change_text(double ratio);

/// A change on either scale: change_text of a ratio, or the signed difference in its unit.
std::string effect_text(const Effect& effect, const std::string& unit);

/// An interval of such changes: "−41 … −2.4 %"; "below +3 %", "not known yet" where ends are infinite.
std::string range_text(const Interval& interval, Scale scale, const std::string& unit);

/// Whether a called effect is so ill known that its size should not be quoted, since those that are called
/// early come out too large on the average: half of its interval is more than a third of it.
bool is_imprecise(const Effect& effect, const Interval& interval);

/// The effect, or "at least" the near end of its interval where it is ill known.
std::string at_least_text(const Effect& effect, const Interval& interval, const std::string& unit);

/// From one change to another: "−12 % to ÷3.2", or the one that both are.
std::string effect_range(const Effect& low, const Effect& high, const std::string& unit);

/// A verdict on a metric in a word for a column: "faster", "more", "same", "unclear".
std::string verdict_word(const Metric& metric, Verdict verdict);

/// A change, better or worse, in a sentence that goes on with "than": "faster", "more memory", "a smaller
/// program".
std::string verdict_phrase(const Metric& metric, Verdict verdict);

/// What a finding was concluded by, in words; empty for none.
std::string method_text(std::optional<TestMethod> method);

/// How many terminal cells a UTF-8 text takes, each character counted as one.
std::size_t display_width(const std::string& text);

/// Columns of a line of text output.
inline constexpr std::size_t text_width = 100;

/// Breaks a text at spaces, so that lines have text_width columns at most; its own line breaks stay. Lines
/// after the first are indented.
std::string wrap(const std::string& text, std::size_t indent);

/// Text filled with spaces to `width` cells, or cut to it with "…".
std::string pad_right(const std::string& text, std::size_t width);
std::string pad_left(const std::string& text, std::size_t width);

/// How a cell is named in sentences: "heap on orders, locks=800"; without the workload's name when the
/// campaign has but one workload.
std::string cell_label(const Design& design, CellId cell);

/// Where a cell is measured: "orders, locks=800"; without the workload's name when there is but one.
std::string place_label(const Design& design, const Cell& cell);

/// What a note or a reason is about.
std::string subject_label(const Design& design, const Subject& subject);

/// `+` better, `!` worse, `=` same, `?` unclear.
std::string sign_of(Verdict verdict);

}  // namespace assay::report
