#include "assay/stats/largest_change.hpp"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>
#include <limits>
#include <random>
#include <stdexcept>

namespace assay::stats {

namespace {

using Matrix = Eigen::MatrixXd;

constexpr int all_up_to = 13, drawn = 8000;
constexpr double tie = 1e-9;

/// A column for each exchange, of +1 and −1 by round; the first is none. An exchange and its opposite have the
/// same T: of all, one of each two.
Matrix exchanges(Eigen::Index rounds, std::uint64_t seed) {
  const bool all = rounds <= all_up_to;
  const Eigen::Index count = all ? Eigen::Index{1} << (rounds - 1) : drawn;
  Matrix signs = Matrix::Ones(rounds, count);
  std::mt19937_64 draw(seed);
  for (Eigen::Index j = 1; j < count; ++j) {
    std::uint64_t bits = 0;
    for (Eigen::Index r = 0; r < rounds; ++r) {
      constexpr int word = 64;
      if (r % word == 0) bits = all ? static_cast<std::uint64_t>(j) : draw();
      if ((bits >> (r % word) & 1U) != 0) signs(r, j) = -1;
    }
  }
  return signs;
}

Matrix as_matrix(std::span<const std::vector<double>> rows) {
  const std::size_t rounds = rows.front().size();
  Matrix table(static_cast<Eigen::Index>(rows.size()), static_cast<Eigen::Index>(rounds));
  for (std::size_t f = 0; f < rows.size(); ++f) {
    if (rows[f].size() != rounds) throw std::invalid_argument("rows have different numbers of rounds");
    for (std::size_t r = 0; r < rounds; ++r) {
      if (!std::isfinite(rows[f][r])) throw std::invalid_argument("a difference is not finite");
      table(static_cast<Eigen::Index>(f), static_cast<Eigen::Index>(r)) = rows[f][r];
    }
  }
  return table;
}

}  // namespace

std::vector<RowChange> test_rows(std::span<const std::vector<double>> rows, double level,
                                 std::uint64_t seed) {
  std::vector<RowChange> changes(rows.size());
  if (rows.empty() || rows.front().empty()) return changes;
  const Matrix table = as_matrix(rows);
  const double n = static_cast<double>(table.cols());
  const Eigen::VectorXd squares = table.rowwise().squaredNorm();
  const Eigen::VectorXd scale =
      squares.unaryExpr([](double sum) { return sum > 0 ? 1 / std::sqrt(sum) : 0.0; });
  const Eigen::RowVectorXd of_each =
      (scale.asDiagonal() * (table * exchanges(table.cols(), seed))).cwiseAbs().colwise().maxCoeff();
  std::vector<double> largest(of_each.begin(), of_each.end());
  std::ranges::sort(largest);
  const auto allowed = static_cast<std::size_t>(std::floor(level * static_cast<double>(largest.size())));
  constexpr double never = std::numeric_limits<double>::infinity();
  const double q = allowed == 0 ? never : largest[largest.size() - 1 - allowed];
  for (std::size_t f = 0; f < rows.size(); ++f) {
    const auto at = static_cast<Eigen::Index>(f);
    auto& change = changes[f];
    const double sum = table.row(at).sum(), own = std::abs(sum) * scale(at);
    change.mean = sum / n;
    const auto reached = std::ranges::lower_bound(largest, own * (1 - tie));
    change.p = static_cast<double>(largest.end() - reached) / static_cast<double>(largest.size());
    change.named = own > q * (1 + tie);
    const double variance = std::max(0.0, squares(at) / n - change.mean * change.mean);
    const double half = q * q < n ? q * std::sqrt(variance / (n - q * q)) : never;
    change.low = change.mean - half;
    change.high = change.mean + half;
    if (!change.named) {  // where T is q, rounding decides which side of 0 an end lies
      change.low = std::min(change.low, 0.0);
      change.high = std::max(change.high, 0.0);
    }
  }
  return changes;
}

int fewest_rounds(double level) {
  int rounds = 1;
  while (std::ldexp(1.0, rounds - 1) * level < 1) ++rounds;
  return rounds;
}

}  // namespace assay::stats
