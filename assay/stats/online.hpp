#pragma once

#include <cstddef>
#include <vector>

namespace assay::stats {

/// Levels for hypotheses that come one after another without an end, each decided when it comes, so that of
/// all that were ever rejected an expected share of at most alpha is rejected falsely: every rejection earns
/// level for those to come.
///
/// Level t is γ_t·w + (α − w)·γ_{t−τ₁} + α·Σ_{j>1} γ_{t−τ_j} with τ_j the places of the rejections so far, w
/// = α/2 and γ_j = j^−1.6/ζ(1.6). For independent p-values; the order must not depend on them.
///
/// Cost of a level: the number of rejections. Source: Javanmard & Montanari 2018 (LORD); Ramdas, Yang,
/// Wainwright & Jordan 2017 (LORD++).
class OnlineDiscoveries {
 public:
  explicit OnlineDiscoveries(double alpha = 0.05) : alpha_(alpha) {}

  /// Of the hypothesis after the next `later` ones, if none of those is rejected.
  double level(std::size_t later = 0) const;

  /// Decides the next one: whether it is rejected.
  bool decide(double p);

 private:
  double alpha_;
  std::size_t decided_ = 0;
  std::vector<std::size_t> rejected_;  ///< places, from 1
};

}  // namespace assay::stats
