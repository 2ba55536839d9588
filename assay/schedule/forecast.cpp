#include "assay/schedule/forecast.hpp"

#include <algorithm>
#include <boost/math/constants/constants.hpp>
#include <boost/math/distributions/chi_squared.hpp>
#include <boost/math/distributions/normal.hpp>
#include <boost/math/quadrature/gauss_kronrod.hpp>
#include <cmath>

#include "assay/model/error.hpp"
#include "assay/stats/location.hpp"
#include "assay/stats/require.hpp"
#include "assay/stats/signed_rank.hpp"

namespace assay::inline v1::schedule {
namespace {

constexpr double pilot_level = 0.8;

double normal_quantile(double p) { return quantile(boost::math::normal(), p); }

/// Standard deviation of the effects about their median, with its interval.
Forecast spread(std::span<const double> effects) {
  stats::require_finite(effects, 3);
  const double centre = stats::median(effects), freedom = static_cast<double>(effects.size() - 1);
  double sum = 0;
  for (const double d : effects) sum += (d - centre) * (d - centre);
  if (sum == 0) throw DomainError("all pilot effects are equal: there is no spread to forecast from");
  const boost::math::chi_squared chi(freedom);
  return {.typical = std::sqrt(sum / freedom),
          .low = std::sqrt(sum / quantile(chi, (1 + pilot_level) / 2)),
          .high = std::sqrt(sum / quantile(chi, (1 - pilot_level) / 2))};
}

/// z_{1−α/2} for the first call among many, plus z_power.
double reach(const Wish& wish) {
  stats::require_level(wish.power);
  stats::require_level(wish.alpha);
  if (wish.findings == 0) throw DomainError("a forecast needs at least one finding");
  return normal_quantile(1 - wish.alpha / static_cast<double>(wish.findings) / 2) +
         normal_quantile(wish.power);
}

template <class OfSpread>
Forecast with_spread(std::span<const double> effects, OfSpread&& of) {
  const auto sigma = spread(effects);
  return {.typical = of(sigma.typical), .low = of(sigma.low), .high = of(sigma.high)};
}

/// The effect, in standard deviations, that few rounds call with the power wished for.
double delta_with_few_rounds(std::size_t rounds, const Wish& wish) {
  const double alpha = wish.alpha / static_cast<double>(wish.findings);
  double low = 0, high = 50;
  for (int step = 0; step < 40; ++step) {
    const double middle = (low + high) / 2;
    (chance_to_call(rounds, middle, alpha) < wish.power ? low : high) = middle;
  }
  return high;
}

}  // namespace

double chance_to_call(std::size_t rounds, double delta, double alpha) {
  stats::require_level(alpha);
  if (rounds < 1 || rounds > 200 || !(delta >= 0) || !std::isfinite(delta))
    throw DomainError("a chance to call needs 1 to 200 rounds and an effect from 0 on", {}, delta);
  const stats::SignedRank null(rounds);
  const auto critical = null.critical_count(alpha);
  if (critical == 0) return 0;
  const boost::math::normal normal;
  const auto phi = [&](double x) { return cdf(normal, x); };
  // An effect D has mean delta; p3 is the chance that D + D' and D + D'' are both above 0.
  const double p1 = phi(delta), p2 = phi(std::sqrt(2.0) * delta);
  const double p3 = boost::math::quadrature::gauss_kronrod<double, 31>::integrate(
      [&](double z) { return pdf(normal, z) * std::pow(phi(z + 2 * delta), 2); }, -9.0, 9.0, 5, 1e-9);
  const double n = static_cast<double>(rounds), pairs = n * (n - 1) / 2;
  const double mean = n * p1 + pairs * p2;
  const double variance = n * p1 * (1 - p1) + pairs * (2 * std::pow(p1 - p2, 2) + 3 * p2 * (1 - p2)) +
                          n * (n - 1) * (n - 2) * (p3 - p2 * p2);
  const double needed = static_cast<double>(null.largest()) - static_cast<double>(critical) + 0.5;
  if (!(variance > 1e-12)) return mean >= needed ? 1 : 0;
  return phi((mean - needed) / std::sqrt(variance));
}

std::size_t floor_rounds(std::size_t findings, double alpha) {
  stats::require_level(alpha);
  if (findings == 0) throw DomainError("a forecast needs at least one finding");
  return static_cast<std::size_t>(std::ceil(1 + std::log2(static_cast<double>(findings) / alpha) - 1e-12));
}

Forecast rounds_to_call(std::span<const double> effects, double change, const Wish& wish) {
  if (!(std::abs(change) > 0) || !std::isfinite(change))
    throw DomainError("a change to be called must not be zero", {}, change);
  const double z = reach(wish), floor = static_cast<double>(floor_rounds(wish.findings, wish.alpha));
  return with_spread(effects, [&](double sigma) {
    const double p = cdf(boost::math::normal(), std::sqrt(2.0) * std::abs(change) / sigma);
    return std::max(floor, std::ceil(z * z / (3 * (p - 0.5) * (p - 0.5))));
  });
}

Forecast rounds_to_say_same(std::span<const double> effects, double margin, const Wish& wish) {
  if (!(margin > 0) || !std::isfinite(margin)) throw DomainError("a margin must be above zero", {}, margin);
  stats::require_level(wish.power);
  const double floor = static_cast<double>(floor_rounds(wish.findings, wish.alpha));
  // Both ends must fit: each with chance (1 + power)/2.
  const double z = reach({.power = (1 + wish.power) / 2, .alpha = wish.alpha, .findings = wish.findings});
  const double efficiency = boost::math::constants::pi<double>() / 3;
  return with_spread(effects, [&](double sigma) {
    return std::max(floor, std::ceil(efficiency * std::pow(z * sigma / margin, 2)));
  });
}

std::optional<Forecast> smallest_change(std::span<const double> effects, std::size_t rounds,
                                        const Wish& wish) {
  if (rounds < floor_rounds(wish.findings, wish.alpha)) return {};
  const double p = 0.5 + reach(wish) / std::sqrt(3 * static_cast<double>(rounds));
  constexpr double too_far = 0.98;  // where the approximation's p nears 1, its quantile runs away
  const double in_sigmas =
      p < too_far ? normal_quantile(p) / std::sqrt(2.0) : delta_with_few_rounds(rounds, wish);
  return with_spread(effects, [&](double sigma) { return in_sigmas * sigma; });
}

}  // namespace assay::inline v1::schedule
