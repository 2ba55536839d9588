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
