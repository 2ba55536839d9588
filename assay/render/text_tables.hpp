#pragma once

#include <array>
#include <cstddef>
#include <string>
#include <string_view>
#include <vector>

#include "assay/model/finding.hpp"
#include "assay/model/results.hpp"
#include "assay/render/documents.hpp"
#include "assay/report/report.hpp"

namespace assay::render {

/// A block: every setting's baseline and candidates, their typical values, changes and intervals on one axis.
std::string block_text(const report::ComparisonTable& block, bool names_workload, const TextStyle& style);

/// All terminal codes that are ever written: for what is better, for what is worse, and the end of a colour.
inline constexpr std::array<std::string_view, 3> terminal_codes = {"\x1b[34m", "\x1b[38;5;166m", "\x1b[0m"};

/// A text in a verdict's colour.
std::string in_colour_of(Verdict verdict, const std::string& text);

/// Whether a table has too many entries for a block with a line each.
bool is_wide(const report::Overview& overview);

/// A table with candidates as rows, sign and change. As many columns stand beside each other as fit; the
/// others follow below. `heading` stands above it.
std::string matrix_text(const report::Overview& overview, const std::string& heading, const TextStyle& style);

/// All metrics of every candidate beside its baseline's, a table for each workload and setting; as many
/// candidates side by side as fit. Ends with a newline; empty where nothing was compared.
std::string profile_text(const Findings& findings);

/// A horizontal axis of text cells that several findings share, logarithmic for ratios.
class Axis {
 public:
  /// Spans the finite interval ends and estimates of `findings`, no change, and the margin. `width` from 12
  /// on.
  Axis(const std::vector<const Finding*>& findings, Scale scale, std::size_t width);

  /// The interval as a line with its estimate as a dot, and no change as a bar: `  ├──●─┤   │    `. An end
  /// that is out of sight is an arrow. Always `width` cells.
  std::string draw(const Finding& finding) const;

  /// What stands above it: the ends and no change. Always `width` cells.
  std::string legend(const std::string& unit) const;

 private:
  double position(double effect) const { return Effect{scale_, effect}.transformed(); }
  std::size_t column(double effect) const;

  Scale scale_;
  std::size_t width_;
  double low_ = 0, high_ = 0;  ///< on the tests' scale
};

}  // namespace assay::render
