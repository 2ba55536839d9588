#pragma once

#include <cstddef>
#include <string>
#include <vector>

#include "assay/model/finding.hpp"

namespace assay::render {

/// A horizontal axis of text cells that several findings share, logarithmic for ratios.
class Axis {
 public:
  /// Spans the finite interval ends and estimates of `findings`, no change, and the margin. `width` from 12
  /// on.
  Axis(const std::vector<const Finding*>& findings, bool is_ratio, std::size_t width);

  /// The interval as a line with its estimate as a dot, and no change as a bar: `  ├──●─┤   │    `. An end
  /// that is out of sight is an arrow. Always `width` cells.
  std::string draw(const Finding& finding) const;

  /// What stands above it: the ends and no change. Always `width` cells.
  std::string legend(const std::string& unit) const;

 private:
  double position(double effect) const;
  std::size_t column(double effect) const;

  bool is_ratio_;
  std::size_t width_;
  double low_ = 0, high_ = 0;  ///< in log ratios, or differences
};

/// How many terminal cells a UTF-8 text takes, each character counted as one.
std::size_t cells_of(const std::string& text);

/// Text filled with spaces to `width` cells, or cut to it with "…".
std::string left(const std::string& text, std::size_t width);
std::string right(const std::string& text, std::size_t width);

}  // namespace assay::render
