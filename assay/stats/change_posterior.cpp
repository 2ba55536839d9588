#include "assay/stats/change_posterior.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <numeric>

#include "assay/model/error.hpp"
#include "assay/stats/location.hpp"

namespace assay::stats {
namespace {

constexpr double wild_share = 0.05, wild_width = 10;

/// ln of the density of a standard value at z, up to a constant.
double log_density(double z) {
  const double usual = (1 - wild_share) * std::exp(-z * z / 2);
  const double wild = wild_share / wild_width * std::exp(-z * z / (2 * wild_width * wild_width));
  return std::log(usual + wild);
}

double log_likelihood(std::span<const double> values, double level, double scale) {
  // Very far out both parts vanish: what is farther tells no more.
  constexpr double farthest = 300;
  double sum = 0;
  for (const double value : values)
    sum += log_density(std::clamp((value - level) / scale, -farthest, farthest));
  return sum;
}

/// ln(eᵃ + eᵇ).
double log_sum(double a, double b) { return std::max(a, b) + std::log1p(std::exp(-std::fabs(a - b))); }

constexpr std::size_t levels_of_change = 3;
constexpr double more_steps = 0.25;  ///< of them in a whole line, each way to rise

double entropy(double p) {
  if (p <= 0 || p >= 1) return 0;
  return -(p * std::log2(p) + (1 - p) * std::log2(1 - p));
}

double normal_density(double z) { return std::exp(-z * z / 2) / std::sqrt(2 * std::acos(-1.0)); }

}  // namespace

ChangePosterior::ChangePosterior(std::size_t last) : values_(last + 1) {
  if (last == 0) throw DomainError("a change needs a place to be at");
}

void ChangePosterior::add(std::size_t place, double value) {
  if (place >= values_.size()) throw DomainError("there is no such place", place);
  if (!std::isfinite(value)) throw DomainError("a value is not finite", place, value);
  values_[place].push_back(value);
}

std::size_t ChangePosterior::count() const {
  return std::accumulate(values_.begin(), values_.end(), std::size_t{0},
                         [](std::size_t sum, const auto& here) { return sum + here.size(); });
}

double ChangePosterior::scale(double fallback) const {
  std::vector<double> differences;
  double freedom = 0;
  for (const auto& here : values_) {
    freedom += here.empty() ? 0 : static_cast<double>(here.size()) - 1;
    for (std::size_t i = 0; i < here.size(); ++i)
      for (std::size_t j = i + 1; j < here.size(); ++j) differences.push_back(std::fabs(here[i] - here[j]));
  }
  constexpr double of_normal = 1.0483;  // 1 / (√2 · the normal quantile at 3/4)
  const double found = differences.empty() ? 0 : of_normal * median(differences);
  // Few values may lie nearer together than they scatter, and would make it too sure.
  constexpr double doubt = 3;
  return found > 0 ? found * (1 + doubt / freedom) : fallback;
}

std::vector<double> ChangePosterior::probabilities(const ChangeModel& model) const {
  if (!(model.step > 0) || !(model.scale > 0)) throw DomainError("step and scale must be above zero");
  const double total = std::max(model.total, model.step);
  const std::array<double, levels_of_change> levels = {model.step, (model.step + total) / 2, total};
  constexpr std::array<double, levels_of_change> likely = {0.6, 0.2, 0.2};
  constexpr std::size_t states = levels_of_change;
  // Of all that lies from a place on, by the level there: levels never fall, and rise again in a few places
  // only.
  const double rises = more_steps / static_cast<double>(last());
  std::array<double, states> from_here{};
  std::vector<double> log_p(values_.size(), 0);
  std::vector<double> unchanged(values_.size(), 0);  // the places before, at the old level
  for (std::size_t place = 1; place < values_.size(); ++place)
    unchanged[place] =
        unchanged[place - 1] + (place > 1 ? log_likelihood(values_[place - 1], 0, model.scale) : 0);
  for (std::size_t place = values_.size() - 1; place >= 1; --place) {
    auto here = from_here;
    if (place + 1 < values_.size()) {
      here[0] = log_sum(from_here[0] + std::log(1 - 2 * rises),
                        std::log(rises) + log_sum(from_here[1], from_here[2]));
      here[1] = log_sum(from_here[1] + std::log(1 - rises), std::log(rises) + from_here[2]);
      for (std::size_t i = 0; i < states; ++i)
        here[i] += log_likelihood(values_[place], levels[i], model.scale);
    }
    from_here = here;
    double changed = std::log(likely[0]) + here[0];
    for (std::size_t i = 1; i < states; ++i) changed = log_sum(changed, std::log(likely[i]) + here[i]);
    log_p[place] = unchanged[place] + changed;
  }
  const double most = *std::max_element(log_p.begin() + 1, log_p.end());
  std::vector<double> p(values_.size(), 0);
  for (std::size_t place = 1; place < p.size(); ++place) p[place] = std::exp(log_p[place] - most);
  const double all = std::accumulate(p.begin(), p.end(), 0.0);
  for (double& one : p) one /= all;
  return p;
}

double mutual_information(double before, double effect, std::size_t pairs) {
  if (!(before >= 0 && before <= 1)) throw DomainError("a probability must lie within 0 and 1", {}, before);
  if (before <= 0 || before >= 1 || effect <= 0 || pairs == 0) return 0;
  const double shift = effect * std::sqrt(static_cast<double>(pairs));
  constexpr double beyond = 6;
  constexpr int steps = 120;
  const double from = -beyond, width = (shift + 2 * beyond) / steps;
  double left = 0;
  for (int i = 0; i <= steps; ++i) {
    const double x = from + i * width;
    const double changed = before * normal_density(x - shift), same = (1 - before) * normal_density(x);
    if (changed + same <= 0) continue;
    const double weight = i == 0 || i == steps ? 1 : i % 2 == 1 ? 4 : 2;
    left += weight * (changed + same) * entropy(changed / (changed + same));
  }
  return std::max(0.0, entropy(before) - left * width / 3);
}

}  // namespace assay::stats
