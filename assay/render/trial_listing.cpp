#include <fmt/format.h>

#include <algorithm>
#include <limits>
#include <map>
#include <vector>

#include "assay/render/charts.hpp"
#include "assay/render/documents.hpp"
#include "assay/report/format.hpp"
#include "assay/report/sentence.hpp"
#include "assay/stats/location.hpp"

namespace assay::render {

using namespace report;  // its words
namespace {

constexpr std::size_t strip_width = 60;

/// Where a value stands on a strip between two ends.
std::size_t place_of(double value, double low, double high) {
  const double share = high > low ? (value - low) / (high - low) : 0.5;
  return std::min(strip_width - 1, static_cast<std::size_t>(share * static_cast<double>(strip_width)));
}

std::string strip_of(const std::vector<double>& values, double low, double high) {
  constexpr const char* marks[] = {" ", "·", ":", "∴", "#"};
  std::vector<std::size_t> counts(strip_width, 0);
  for (const double value : values) ++counts[place_of(value, low, high)];
  std::string strip;
  for (const auto count : counts) strip += marks[std::min<std::size_t>(count, 4)];
  return strip;
}

std::string cell_details(const Findings& all, CellId cell, const std::vector<double>& values, double low,
                         double high, const std::string& unit) {
  const auto q = [&](double p) { return value_text(stats::quantile(values, p), unit); };
  std::string text = "  " + pad_right(all.candidate(all.design.cells[cell]).name, 20) + "|" +
                     strip_of(values, low, high) + "|\n";
  text += fmt::format("    {} trials: least {}, quarter {}, median {}, three quarters {}, most {}\n",
                      values.size(), q(0), q(0.25), q(0.5), q(0.75), q(1));
  constexpr std::size_t first = 6;
  text += "    in order:";
  for (std::size_t i = 0; i < std::min(first, values.size()); ++i) text += " " + value_text(values[i], unit);
  return text + (values.size() > first ? " …\n" : "\n");
}

}  // namespace

std::string details(const Findings& all, const Record& record) {
  const Observations evidence(record.design, record.log);
  std::string out;
  for (const auto& f : all.findings) {
    const auto& cell = all.candidate_cell(f);
    if (!is_watched(all, f) || all.candidate(cell).twin_of || all.metric_of(f).exact) continue;
    std::map<CellId, std::vector<double>> values;
    for (const auto id : {f.comparison.baseline, f.comparison.candidate})
      if (const auto& series = evidence.values_of(f.metric, id); !series.empty())
        values[id] = values_of(series);
    if (values.size() < 2) continue;
    double low = std::numeric_limits<double>::infinity(), high = -std::numeric_limits<double>::infinity();
    for (const auto& [id, list] : values) {
      low = std::min(low, std::ranges::min(list));
      high = std::max(high, std::ranges::max(list));
    }
    const auto& unit = all.metric_of(f).unit;
    const auto where = cell_text(all, cell);
    out += fmt::format("\nall trials, {}{}: from {} to {}\n", all.metric_of(f).name,
                       where.empty() ? "" : ", " + where, value_text(low, unit), value_text(high, unit));
    for (const auto id : {f.comparison.baseline, f.comparison.candidate})
      out += cell_details(all, id, values[id], low, high, unit);
  }
  return out;
}

}  // namespace assay::render
