#pragma once

#include <cstddef>
#include <optional>
#include <span>

namespace assay::inline v1::schedule {

/// A forecast figure with what the pilot leaves open.
struct Forecast {
  double typical = 0;
  double low = 0, high = 0;
};

/// What a forecast is asked for.
struct Wish {
  double power = 0.9;        ///< chance of a verdict, in (0, 1)
  double alpha = 0.05;       ///< error rate, in (0, 1)
  std::size_t findings = 1;  ///< judged together: the first call among M needs p ≤ alpha/M
};

/// The fewest rounds with which one finding among `findings` can be called at all: a two-sided sign-flip
/// p-value is at least 2^(1−n). 6 for one at 5 %, 11 for 40.
std::size_t floor_rounds(std::size_t findings, double alpha = 0.05);

/// Rounds needed to call a constant effect `change` (log ratio, or difference; not 0) a change with the power
/// wished for, never less than the floor.
///
/// From the spread of the pilot's effects, never from their sign or size: n = (z_{1−α/2} + z_power)²/(3(P −
/// ½)²) with P = Φ(√2·change/σ) for normal effects. σ is the sample standard deviation about the pilot's
/// median; the range comes from its 80 % chi-squared interval. Errs on the safe side, by up to 5 % of power.
/// Looks cost a few per cent on top. At least three effects, all finite, not all equal; else DomainError.
/// Source: Noether 1987.
Forecast rounds_to_call(std::span<const double> pilot_effects, double change, const Wish& wish = {});

/// Rounds needed to say `same` of no change at all, within ± margin (above 0), with the power wished for: the
/// interval's half width, z·σ·√(π/3)/√n for the signed-rank interval of normal effects, must fit.
/// Source: Hodges & Lehmann 1963 (efficiency 3/π); two one-sided tests, Schuirmann 1987.
Forecast rounds_to_say_same(std::span<const double> pilot_effects, double margin, const Wish& wish = {});

/// The chance that the signed-rank test at level `alpha` (two-sided) calls a constant effect of `delta`
/// standard deviations among `rounds` normal ones, from the statistic's exact critical count and its mean and
/// variance under that effect, taken as normal. Good to a few per cent from 6 rounds on. rounds from 1 to
/// 200, delta at least 0. Cost: one numerical integral. Source: Lehmann, Nonparametrics (1975), section 4.2.
double chance_to_call(std::size_t rounds, double delta, double alpha);

/// The smallest change that `rounds` rounds call with the power wished for; empty when they are fewer than
/// the floor. The inverse of rounds_to_call; where so few rounds are beyond its approximation, that of
/// chance_to_call.
std::optional<Forecast> smallest_change(std::span<const double> pilot_effects, std::size_t rounds,
                                        const Wish& wish = {});

}  // namespace assay::inline v1::schedule
