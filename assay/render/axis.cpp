#include "assay/render/axis.hpp"

#include <algorithm>
#include <cmath>

#include "assay/report/cells.hpp"
#include "assay/report/units.hpp"

namespace assay::render {

using namespace report;  // its words

Axis::Axis(const std::vector<const Finding*>& findings, Scale scale, std::size_t width)
    : scale_(scale), width_(width) {
  double margin = 0;
  for (const auto* finding : findings) {
    margin = std::max(margin, transformed_margin(scale, finding->margin));
    for (const double effect : {finding->interval.low, finding->interval.high, finding->effect.value})
      if (const double at = position(effect); std::isfinite(at)) {
        low_ = std::min(low_, at);
        high_ = std::max(high_, at);
      }
  }
  low_ = std::min(low_, -margin);
  high_ = std::max(high_, margin);
  if (low_ == high_) {
    low_ -= 0.01;
    high_ += 0.01;
  }
}

std::size_t Axis::column(double effect) const {
  const double share = (position(effect) - low_) / (high_ - low_);
  return static_cast<std::size_t>(std::lround(std::clamp(share, 0.0, 1.0) * static_cast<double>(width_ - 1)));
}

std::string Axis::draw(const Finding& finding) const {
  std::vector<std::string> cells(width_, " ");
  const auto zero = column(Effect::none(scale_).value);
  const bool open_low = !std::isfinite(position(finding.interval.low)),
             open_high = !std::isfinite(position(finding.interval.high));
  const auto from = open_low ? 0 : column(finding.interval.low);
  const auto to = open_high ? width_ - 1 : column(finding.interval.high);
  cells[zero] = "│";
  for (auto i = from; i <= to; ++i) cells[i] = i == zero ? "┼" : "─";
  cells[from] = open_low ? "←" : "├";
  cells[to] = open_high ? "→" : "┤";
  cells[column(finding.effect.value)] = "●";
  std::string line;
  for (const auto& cell : cells) line += cell;
  return line;
}

std::string Axis::legend(const std::string& unit) const {
  const auto shown = [&](double at) { return effect_text(Effect::from_transformed(scale_, at), unit); };
  const auto zero = column(Effect::none(scale_).value);
  const auto from = shown(low_), to = shown(high_);
  std::string line = from;
  if (zero > display_width(line) && zero + 2 + display_width(to) < width_) line = pad_right(line, zero) + "0";
  return pad_right(line, width_ - std::min(width_, display_width(to))) + to;
}

}  // namespace assay::render
