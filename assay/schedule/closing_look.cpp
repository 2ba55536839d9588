#include "assay/schedule/closing_look.hpp"

#include <algorithm>

namespace assay::schedule {
namespace {

/// A tuning of the boundary from which look `look` calls one count more, and its level then.
struct Growth {
  double tuning = 0;
  std::size_t look = 0;
  double level = 0;
};

}  // namespace

FinalLook::FinalLook(const StoppingBoundary& planned, std::size_t taken, int n)
    : alpha_(planned.alpha_), null_(null_distribution(n, planned.repeats_)) {
  std::vector<Growth> growth;
  const auto looks = planned.looks();
  for (std::size_t k = 0; k < looks.size(); ++k) {
    const auto& null = planned.null_[k];
    const auto most = null.largest() / 2 + 1;
    // Of many counts, some at a time: a little too much is taken to be spent then.
    constexpr std::uint64_t enough = 4000;
    const auto stride = 1 + most / enough;
    for (std::uint64_t t = 0; t < most; t += stride)
      growth.push_back({.tuning = null.p_two_sided(t) / planned.weights_[k],
                        .look = k,
                        .level = null.p_two_sided(std::min(t + stride, most) - 1)});
  }
  std::ranges::stable_sort(growth, {}, &Growth::tuning);
  std::vector<double> levels(looks.size(), 0.0);
  double all = 0, of_taken = 0;
  steps_.push_back({});
  for (std::size_t i = 0; i < growth.size() && all <= 1; ++i) {
    const double more = growth[i].level - levels[growth[i].look];
    levels[growth[i].look] = growth[i].level;
    all += more;
    if (growth[i].look < taken) of_taken += more;
    if (i + 1 == growth.size() || growth[i + 1].tuning > growth[i].tuning) steps_.push_back({all, of_taken});
  }
}

/// The largest level up to `limit` at which a count is not called whose own level is this.
double FinalLook::largest_not_called(double own_level, double limit) const {
  double largest = 0;
  for (std::size_t i = 0; i < steps_.size() && steps_[i].from < limit; ++i) {
    const double until = std::min(limit, i + 1 < steps_.size() ? steps_[i + 1].from : limit);
    const double called_from = own_level + steps_[i].taken;
    if (called_from > steps_[i].from) largest = std::max(largest, std::min(until, called_from));
  }
  return largest;
}

double FinalLook::p_value(std::uint64_t t) const { return p_value_of_level(null_.p_two_sided(t)); }

double FinalLook::p_value_of_level(double own_level) const {
  const double p = largest_not_called(own_level, alpha_);
  return p < alpha_ ? p : std::min(1.0, largest_not_called(own_level, 2.0));
}

std::uint64_t FinalLook::critical_count(double alpha) const {
  std::uint64_t low = 0, high = null_.largest() / 2 + 1;
  while (low < high) {
    const auto middle = low + (high - low) / 2;
    if (p_value(middle) <= alpha)
      low = middle + 1;
    else
      high = middle;
  }
  return low;
}

}  // namespace assay::schedule
