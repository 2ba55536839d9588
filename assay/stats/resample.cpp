#include "assay/stats/resample.hpp"

#include <algorithm>
#include <boost/math/distributions/normal.hpp>
#include <cmath>
#include <map>

#include "assay/model/error.hpp"
#include "assay/stats/location.hpp"
#include "assay/stats/random.hpp"
#include "assay/stats/require.hpp"

namespace assay::inline v1::stats {
namespace {

constexpr std::size_t draws_per_stream = 64;

std::vector<std::vector<double>> split(std::span<const double> values, const std::vector<int>& strata) {
  if (strata.empty()) return {std::vector<double>(values.begin(), values.end())};
  if (strata.size() != values.size())
    throw DomainError("strata are needed for all values or none", strata.size());
  std::map<int, std::vector<double>> parts;
  for (std::size_t i = 0; i < values.size(); ++i) parts[strata[i]].push_back(values[i]);
  std::vector<std::vector<double>> result;
  for (auto& [stratum, part] : parts) result.push_back(std::move(part));
  return result;
}

/// How much the statistic's spread changes with its size, from leaving out one value at a time.
double acceleration(std::span<const double> values, const Statistic& statistic) {
  std::vector<double> left_out(values.begin() + 1, values.end()), jackknife;
  jackknife.push_back(statistic(left_out));
  for (std::size_t i = 1; i < values.size(); ++i) {
    left_out[i - 1] = values[i - 1];
    jackknife.push_back(statistic(left_out));
  }
  auto distinct = jackknife;
  std::ranges::sort(distinct);
  distinct.erase(std::unique(distinct.begin(), distinct.end()), distinct.end());
  if (distinct.size() <= 2 && values.size() > 3)
    throw DomainError(
        "a bias-corrected interval has no meaning for this statistic, whose leave-one-out values take "
        "two values only, as the median's do");
  const double centre = mean(jackknife);
  double second = 0, third = 0;
  for (const double v : jackknife) {
    second += (centre - v) * (centre - v);
    third += (centre - v) * (centre - v) * (centre - v);
  }
  return second == 0 ? 0 : third / (6 * std::pow(second, 1.5));
}

}  // namespace

std::vector<double> bootstrap(std::span<const double> values, const Statistic& statistic,
                              const BootstrapOptions& options) {
  require_finite(values);
  if (options.draws == 0) throw DomainError("a bootstrap needs at least one draw");
  const auto strata = split(values, options.strata);
  std::vector<double> sample(values.size()), drawn;
  std::vector<std::uint32_t> drawn_places(values.size());
  drawn.reserve(options.draws);
  for (std::size_t stream = 0; drawn.size() < options.draws; ++stream) {
    Random random(options.seed, stream);
    for (std::size_t i = 0; i < draws_per_stream && drawn.size() < options.draws; ++i) {
      auto put = sample.begin();
      for (const auto& stratum : strata) {
        const auto places = std::span(drawn_places).first(stratum.size());
        random.fill_below(static_cast<std::uint32_t>(stratum.size()), places);
        for (const auto place : places) *put++ = stratum[place];
      }
      drawn.push_back(statistic(sample));
    }
  }
  return drawn;
}

Bounds percentile_interval(std::span<const double> values, const Statistic& statistic,
                           const BootstrapOptions& options) {
  require_level(options.level);
  const auto drawn = bootstrap(values, statistic, options);
  return {quantile(drawn, (1 - options.level) / 2, QuantileType::type7),
          quantile(drawn, (1 + options.level) / 2, QuantileType::type7)};
}

Bounds bca_interval(std::span<const double> values, const Statistic& statistic,
                    const BootstrapOptions& options) {
  require_level(options.level);
  require_finite(values, 3);
  const double a = acceleration(values, statistic);
  const double seen = statistic(values);
  const auto drawn = bootstrap(values, statistic, options);
  double below = 0;
  for (const double v : drawn) below += v < seen ? 1 : v == seen ? 0.5 : 0;
  const double share = below / static_cast<double>(drawn.size());
  if (share <= 0 || share >= 1) throw DomainError("the statistic lies beyond all of its resamples", {}, seen);
  const boost::math::normal standard;
  const double bias = boost::math::quantile(standard, share);
  const auto end = [&](double p) {
    const double z = bias + boost::math::quantile(standard, p);
    return quantile(drawn, cdf(standard, bias + z / (1 - a * z)), QuantileType::type7);
  };
  return {end((1 - options.level) / 2), end((1 + options.level) / 2)};
}

double permutation_p_value(
    std::span<const double> x, std::span<const double> y,
    const std::function<double(std::span<const double>, std::span<const double>)>& statistic,
    std::size_t draws, std::uint64_t seed) {
  require_finite(x);
  require_finite(y);
  const double seen = std::abs(statistic(x, y));
  std::vector<double> pooled(x.begin(), x.end());
  pooled.insert(pooled.end(), y.begin(), y.end());
  Random random(seed);
  std::size_t as_far = 0;
  for (std::size_t draw = 0; draw < draws; ++draw) {
    random.shuffle(std::span(pooled));
    const auto all = std::span<const double>(pooled);
    if (std::abs(statistic(all.first(x.size()), all.subspan(x.size()))) >= seen * (1 - 1e-12)) ++as_far;
  }
  return static_cast<double>(as_far + 1) / static_cast<double>(draws + 1);
}

}  // namespace assay::inline v1::stats
