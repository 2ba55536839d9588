#pragma once

#include <cstddef>
#include <span>
#include <vector>

namespace assay::stats {

// Many tests at once. All take p-values in the order given, each in [0, 1] (else DomainError), and cost a
// sort.

/// p-values adjusted so that calling those at or below q keeps the expected share of false calls at or below
/// q. Valid under independence and positive dependence. Source: Benjamini & Hochberg 1995; Benjamini &
/// Yekutieli 2001.
std::vector<double> adjust_benjamini_hochberg(std::span<const double> p);

/// p-values adjusted so that calling those at or below alpha keeps the chance of even one false call at or
/// below alpha, under any dependence. Source: Holm 1979.
std::vector<double> adjust_holm(std::span<const double> p);

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
