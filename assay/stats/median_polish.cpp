#include "assay/stats/median_polish.hpp"

#include <algorithm>
#include <cmath>

#include "assay/model/error.hpp"
#include "assay/stats/location.hpp"

namespace assay::stats {
namespace {

/// Takes the median out of effects and gives it to what is common.
void centre(std::vector<double>& effects, double& overall) {
  const double middle = median(effects);
  for (auto& effect : effects) effect -= middle;
  overall += middle;
}

}  // namespace

MedianPolish median_polish(const std::vector<std::vector<double>>& table) {
  constexpr int most_sweeps = 10;
  constexpr double small = 1e-12;
  if (table.empty() || table.front().empty()) throw DomainError("a table without values can't be polished");
  const auto width = table.front().size();
  double largest = 0;
  for (const auto& row : table) {
    if (row.size() != width) throw DomainError("the rows of the table have different lengths");
    for (const double value : row) largest = std::max(largest, std::abs(value));
  }
  auto left = table;
  MedianPolish result{.rows = std::vector<double>(table.size(), 0.0),
                      .columns = std::vector<double>(width, 0.0)};
  for (int sweep = 0; sweep < most_sweeps; ++sweep) {
    double moved = 0;
    for (std::size_t r = 0; r < left.size(); ++r) {
      const double middle = median(left[r]);
      for (auto& value : left[r]) value -= middle;
      result.rows[r] += middle;
      moved = std::max(moved, std::abs(middle));
    }
    centre(result.columns, result.overall);
    for (std::size_t c = 0; c < width; ++c) {
      std::vector<double> column;
      for (const auto& row : left) column.push_back(row[c]);
      const double middle = median(column);
      for (auto& row : left) row[c] -= middle;
      result.columns[c] += middle;
      moved = std::max(moved, std::abs(middle));
    }
    centre(result.rows, result.overall);
    if (sweep > 0 && moved <= small * largest) break;
  }
  return result;
}

}  // namespace assay::stats
