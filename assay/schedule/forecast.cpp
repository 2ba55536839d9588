#include "assay/schedule/forecast.hpp"

#include <algorithm>
#include <boost/math/constants/constants.hpp>
#include <boost/math/distributions/chi_squared.hpp>
#include <boost/math/distributions/normal.hpp>
#include <cmath>

#include "assay/model/error.hpp"
#include "assay/stats/location.hpp"
#include "assay/stats/require.hpp"

namespace assay::schedule {
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

}  // namespace

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
  if (p >= 1) return {};
  const double in_sigmas = normal_quantile(p) / std::sqrt(2.0);
  return with_spread(effects, [&](double sigma) { return in_sigmas * sigma; });
}

}  // namespace assay::schedule
