#include "assay/render/axis.hpp"

#include <algorithm>
#include <cmath>

#include "assay/render/units.hpp"

namespace assay::render {

std::size_t cells_of(const std::string& text) {
  return static_cast<std::size_t>(
      std::ranges::count_if(text, [](char c) { return (static_cast<unsigned char>(c) & 0xC0U) != 0x80; }));
}

namespace {

std::string cut(const std::string& text, std::size_t width) {
  if (cells_of(text) <= width) return text;
  std::string shorter;
  std::size_t cells = 0;
  for (const char c : text) {
    if ((static_cast<unsigned char>(c) & 0xC0U) != 0x80 && ++cells == width) break;
    shorter += c;
  }
  return shorter + "…";
}

std::string filling(const std::string& text, std::size_t width) {
  const auto used = cells_of(text);
  return std::string(used < width ? width - used : 0, ' ');
}

}  // namespace

std::string left(const std::string& text, std::size_t width) {
  const auto fits = cut(text, width);
  return fits + filling(fits, width);
}

std::string right(const std::string& text, std::size_t width) {
  const auto fits = cut(text, width);
  return filling(fits, width) + fits;
}

Axis::Axis(const std::vector<const Finding*>& findings, bool is_ratio, std::size_t width)
    : is_ratio_(is_ratio), width_(width) {
  double margin = 0;
  for (const auto* finding : findings) {
    margin = std::max(margin, is_ratio ? std::log1p(finding->margin) : finding->margin);
    for (const double effect : {finding->interval.low, finding->interval.high, finding->effect})
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

double Axis::position(double effect) const { return is_ratio_ ? std::log(effect) : effect; }

std::size_t Axis::column(double effect) const {
  const double share = (position(effect) - low_) / (high_ - low_);
  return static_cast<std::size_t>(std::lround(std::clamp(share, 0.0, 1.0) * static_cast<double>(width_ - 1)));
}

std::string Axis::draw(const Finding& finding) const {
  std::vector<std::string> cells(width_, " ");
  const auto zero = column(is_ratio_ ? 1 : 0);
  const bool open_low = !std::isfinite(position(finding.interval.low)),
             open_high = !std::isfinite(position(finding.interval.high));
  const auto from = open_low ? 0 : column(finding.interval.low);
  const auto to = open_high ? width_ - 1 : column(finding.interval.high);
  cells[zero] = "│";
  for (auto i = from; i <= to; ++i) cells[i] = i == zero ? "┼" : "─";
  cells[from] = open_low ? "←" : "├";
  cells[to] = open_high ? "→" : "┤";
  cells[column(finding.effect)] = "●";
  std::string line;
  for (const auto& cell : cells) line += cell;
  return line;
}

std::string Axis::legend(const std::string& unit) const {
  const auto shown = [&](double at) { return effect_text(is_ratio_ ? std::exp(at) : at, is_ratio_, unit); };
  const auto zero = column(is_ratio_ ? 1 : 0);
  const auto from = shown(low_), to = shown(high_);
  std::string line = from;
  if (zero > cells_of(line) && zero + 2 + cells_of(to) < width_) line = left(line, zero) + "0";
  return left(line, width_ - std::min(width_, cells_of(to))) + to;
}

}  // namespace assay::render
