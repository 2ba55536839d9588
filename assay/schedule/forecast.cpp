#include "assay/schedule/forecast.hpp"

#include <algorithm>
#include <boost/math/distributions/chi_squared.hpp>
#include <boost/math/distributions/normal.hpp>
#include <boost/math/quadrature/gauss_kronrod.hpp>
#include <cmath>

#include "assay/model/error.hpp"
#include "assay/schedule/interim_looks.hpp"
#include "assay/stats/location.hpp"
#include "assay/stats/null_distribution.hpp"
#include "assay/stats/preconditions.hpp"

namespace assay::schedule {
namespace {

constexpr double pilot_level = 0.8;

/// Standard deviation of the effects about their median, with its interval.
RoundsForecast spread(std::span<const double> effects) {
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

void require_sense(const PowerTarget& wish) {
  stats::require_level(wish.power);
  stats::require_level(wish.alpha);
  if (wish.findings == 0) throw DomainError("a forecast needs at least one finding");
}

template <class OfSpread>
RoundsForecast with_spread(std::span<const double> effects, OfSpread&& of) {
  const auto sigma = spread(effects);
  return {.typical = of(sigma.typical), .low = of(sigma.low), .high = of(sigma.high)};
}

constexpr std::size_t most_exact = 200;
constexpr double most_deviations = 50;

/// chance_to_call(), and beyond what that is for the approximation of Noether 1987.
double chance(std::size_t rounds, double delta, double level) {
  if (rounds <= most_exact) return chance_to_call(rounds, delta, level);
  const boost::math::normal normal;
  const double p = cdf(normal, std::sqrt(2.0) * delta);
  return cdf(normal,
             std::sqrt(3 * static_cast<double>(rounds)) * (p - 0.5) - quantile(normal, 1 - level / 2));
}

/// The effect, in standard deviations, that so many rounds call with this power; empty: none.
std::optional<double> delta_called(std::size_t rounds, double level, double power) {
  if (stats::SignedRank(rounds).critical_count(level) == 0) return {};
  double low = 0, high = most_deviations;
  for (int step = 0; step < 40; ++step) {
    const double middle = (low + high) / 2;
    (chance(rounds, middle, level) < power ? low : high) = middle;
  }
  return high;
}

/// The fewest rounds that call an effect of so many standard deviations with this power.
double rounds_called(double delta, const PowerTarget& wish, double power) {
  const double alpha = wish.alpha / static_cast<double>(wish.findings);
  const auto enough = [&](std::size_t rounds) {
    return chance(rounds, delta, level_of_end(rounds, alpha)) >= power;
  };
  std::size_t high = min_rounds(wish.findings, wish.alpha), low = high - 1;
  constexpr std::size_t endless = std::size_t{1} << 24;
  while (!enough(high)) {
    if (high >= endless) return static_cast<double>(endless);
    low = high;
    high *= 2;
  }
  while (high - low > 1) {
    const auto middle = low + (high - low) / 2;
    (enough(middle) ? high : low) = middle;
  }
  return static_cast<double>(high);
}

/// Both ends must lie within the margin: each with this chance.
double power_of_each_end(double power) { return (1 + power) / 2; }

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

std::size_t min_rounds(std::size_t findings, double alpha) {
  stats::require_level(alpha);
  if (findings == 0) throw DomainError("a forecast needs at least one finding");
  return static_cast<std::size_t>(std::ceil(1 + std::log2(static_cast<double>(findings) / alpha) - 1e-12));
}

double level_of_end(std::size_t rounds, double alpha) {
  constexpr std::size_t many = 5000;  // where a look's level hardly depends on how many there were
  const int n = static_cast<int>(std::min(rounds, many));
  const auto looks = planned_looks(std::min(n, 8), n);
  const auto boundary = stopping_boundary(looks, alpha);
  const auto critical = boundary->critical_count(looks.size() - 1);
  return critical == 0 ? 0.5 * alpha : null_distribution(n).p_two_sided(critical - 1);
}

std::optional<RoundsForecast> smallest_change(std::span<const double> effects, std::size_t rounds,
                                              const PowerTarget& wish) {
  require_sense(wish);
  if (rounds < min_rounds(wish.findings, wish.alpha)) return {};
  const auto level = level_of_end(rounds, wish.alpha / static_cast<double>(wish.findings));
  const auto delta = delta_called(rounds, level, wish.power);
  if (!delta) return {};
  return with_spread(effects, [&](double sigma) { return *delta * sigma; });
}

RoundsForecast rounds_to_call(std::span<const double> effects, double change, const PowerTarget& wish) {
  require_sense(wish);
  if (!(std::abs(change) > 0) || !std::isfinite(change))
    throw DomainError("a change to be called must not be zero", {}, change);
  return with_spread(effects,
                     [&](double sigma) { return rounds_called(std::abs(change) / sigma, wish, wish.power); });
}

RoundsForecast rounds_to_say_same(std::span<const double> effects, double margin, const PowerTarget& wish) {
  require_sense(wish);
  if (!(margin > 0) || !std::isfinite(margin)) throw DomainError("a margin must be above zero", {}, margin);
  return with_spread(effects, [&](double sigma) {
    return rounds_called(margin / sigma, wish, power_of_each_end(wish.power));
  });
}

std::optional<RoundsForecast> margin_to_say_same(std::span<const double> effects, std::size_t rounds,
                                                 const PowerTarget& wish) {
  require_sense(wish);
  if (rounds < min_rounds(wish.findings, wish.alpha)) return {};
  const auto level = level_of_end(rounds, wish.alpha / static_cast<double>(wish.findings));
  const auto delta = delta_called(rounds, level, power_of_each_end(wish.power));
  if (!delta) return {};
  return with_spread(effects, [&](double sigma) { return *delta * sigma; });
}

}  // namespace assay::schedule
