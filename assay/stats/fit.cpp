#include "assay/stats/fit.hpp"

#include <Eigen/QR>
#include <algorithm>
#include <boost/math/distributions/normal.hpp>
#include <boost/math/distributions/students_t.hpp>
#include <cmath>
#include <limits>

#include "assay/model/error.hpp"
#include "assay/stats/preconditions.hpp"

namespace assay::stats {
namespace {

constexpr double unbounded = std::numeric_limits<double>::infinity();

std::vector<double> logs(std::span<const double> values) {
  std::vector<double> result;
  for (const double v : values) result.push_back(std::log(v));
  return result;
}

}  // namespace

Range LinearFit::interval(std::size_t i, double level) const {
  require_level(level);
  if (freedom == 0) return {-unbounded, unbounded};
  const boost::math::students_t t(static_cast<double>(freedom));
  const double reach = quantile(t, (1 + level) / 2) * std::sqrt(covariance[i][i]);
  return {coefficients[i] - reach, coefficients[i] + reach};
}

LinearFit least_squares(const std::vector<std::vector<double>>& columns, std::span<const double> y,
                        std::span<const double> weights) {
  require_finite(y, std::max<std::size_t>(columns.size(), 1));
  if (columns.empty()) throw DomainError("a fit needs at least one column");
  if (!weights.empty()) {
    require_same_length(weights, y);
    require_positive(weights);
  }
  const auto rows = static_cast<Eigen::Index>(y.size()), width = static_cast<Eigen::Index>(columns.size());
  Eigen::MatrixXd design(rows, width);
  Eigen::VectorXd target(rows);
  for (Eigen::Index r = 0; r < rows; ++r) {
    const auto i = static_cast<std::size_t>(r);
    const double root = weights.empty() ? 1 : std::sqrt(weights[i]);
    target(r) = root * y[i];
    for (Eigen::Index c = 0; c < width; ++c) {
      const auto& column = columns[static_cast<std::size_t>(c)];
      if (r == 0) {
        require_same_length(column, y);
        require_finite(column);
      }
      design(r, c) = root * column[i];
    }
  }
  // Columns of one length: those of sizes from thousands on would look dependent beside one of ones.
  const Eigen::VectorXd length = design.colwise().norm().transpose();
  if (!(length.minCoeff() > 0) || !length.allFinite())
    throw DomainError("a column of the fit is zero, or too large to be squared");
  const Eigen::MatrixXd scaled = design * length.cwiseInverse().asDiagonal();
  const Eigen::ColPivHouseholderQR<Eigen::MatrixXd> qr(scaled);
  if (qr.rank() < width) throw DomainError("the columns of the fit are linearly dependent");
  const Eigen::VectorXd solution = qr.solve(target).cwiseQuotient(length);
  LinearFit fit;
  fit.coefficients.assign(solution.begin(), solution.end());
  fit.residual_sum = (target - design * solution).squaredNorm();
  fit.freedom = y.size() - columns.size();
  const double noise = fit.freedom > 0 ? fit.residual_sum / static_cast<double>(fit.freedom) : unbounded;
  // What each observation adds to the coefficients; their sum of squares is (XᵀX)⁻¹.
  fit.covariance.assign(columns.size(), std::vector<double>(columns.size(), 0.0));
  for (Eigen::Index r = 0; r < rows; ++r) {
    const Eigen::VectorXd share = qr.solve(Eigen::VectorXd::Unit(rows, r)).cwiseQuotient(length);
    for (std::size_t a = 0; a < columns.size(); ++a)
      for (std::size_t b = 0; b < columns.size(); ++b)
        fit.covariance[a][b] +=
            noise * share(static_cast<Eigen::Index>(a)) * share(static_cast<Eigen::Index>(b));
  }
  return fit;
}

PowerLaw fit_power_law(std::span<const double> size, std::span<const double> cost, double level) {
  require_same_length(size, cost);
  require_positive(size, 3);
  require_positive(cost);
  PowerLaw law;
  law.fit = least_squares({std::vector<double>(size.size(), 1.0), logs(size)}, logs(cost));
  law.factor = std::exp(law.fit.coefficients[0]);
  law.exponent = law.fit.coefficients[1];
  law.exponent_interval = law.fit.interval(1, level);
  return law;
}

std::optional<Crossing> crossing(const PowerLaw& a, const PowerLaw& b, double level) {
  require_level(level);
  // ln size where u + v·L = 0, with u and v the differences of the coefficients.
  const double u = a.fit.coefficients[0] - b.fit.coefficients[0], v = a.exponent - b.exponent;
  if (v == 0) return {};
  const auto sum = [&](std::size_t i, std::size_t j) {
    return a.fit.covariance[i][j] + b.fit.covariance[i][j];
  };
  const double z = quantile(boost::math::normal(), (1 + level) / 2), zz = z * z;
  Crossing result{.at = std::exp(-u / v), .interval = {0, unbounded}};
  // (u + vL)² ≤ z²(V_uu + 2L·V_uv + L²·V_vv), a quadratic in L.
  const double p = v * v - zz * sum(1, 1), q = u * v - zz * sum(0, 1), r = u * u - zz * sum(0, 0);
  const double root = q * q - p * r;
  if (p > 0 && root >= 0)
    result.interval = {std::exp((-q - std::sqrt(root)) / p), std::exp((-q + std::sqrt(root)) / p)};
  return result;
}

double Scalability::at(double k) const {
  return rate * k / (1 + contention * (k - 1) + coherency * k * (k - 1));
}

Scalability fit_scalability(std::span<const double> k, std::span<const double> throughput) {
  require_same_length(k, throughput);
  require_positive(k, 3);
  require_positive(throughput);
  std::vector<double> time, weights, ones(k.size(), 1.0), others, pairs;
  for (std::size_t i = 0; i < k.size(); ++i) {
    if (k[i] < 1) throw DomainError("scaling is measured from one on", i, k[i]);
    time.push_back(k[i] / throughput[i]);
    weights.push_back(1 / (time.back() * time.back()));
    others.push_back(k[i] - 1);
    pairs.push_back(k[i] * (k[i] - 1));
  }
  // Few coefficients: try every set of those that may be above zero, and keep the best that is feasible.
  Scalability best;
  double least = unbounded;
  for (const bool with_others : {true, false})
    for (const bool with_pairs : {true, false}) {
      std::vector<std::vector<double>> columns = {ones};
      if (with_others) columns.push_back(others);
      if (with_pairs) columns.push_back(pairs);
      const auto fit = least_squares(columns, time, weights);
      if (std::ranges::any_of(fit.coefficients, [](double c) { return c < 0; }) || fit.residual_sum >= least)
        continue;
      least = fit.residual_sum;
      const double base = fit.coefficients[0];
      best.rate = 1 / base;
      best.contention = with_others ? fit.coefficients[1] / base : 0;
      best.coherency = with_pairs ? fit.coefficients.back() / base : 0;
    }
  best.peak = best.coherency > 0 ? std::sqrt(std::max(0.0, 1 - best.contention) / best.coherency) : unbounded;
  return best;
}

std::optional<std::size_t> knee(std::span<const double> x, std::span<const double> y) {
  require_same_length(x, y);
  require_finite(x, 3);
  require_finite(y);
  for (std::size_t i = 1; i < x.size(); ++i)
    if (x[i] <= x[i - 1]) throw DomainError("a curve's x must grow", i, x[i]);
  const auto [low, high] = std::ranges::minmax(y);
  if (low == high) return {};
  std::optional<std::size_t> at;
  double furthest = 1e-9;
  const double rise = (y.back() - y.front()) / (high - low);
  for (std::size_t i = 1; i + 1 < x.size(); ++i) {
    const double along = (x[i] - x.front()) / (x.back() - x.front());
    const double above = (y[i] - y.front()) / (high - low) - rise * along;
    const double distance = rise >= 0 ? above : -above;
    if (distance > furthest) {
      furthest = distance;
      at = i;
    }
  }
  return at;
}

}  // namespace assay::stats
