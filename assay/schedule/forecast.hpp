#pragma once

#include <cstddef>
#include <optional>
#include <span>

namespace assay::schedule {

/// A forecast figure with what the pilot leaves open.
struct RoundsForecast {
  double typical = 0;
  double low = 0, high = 0;
};

/// What a forecast is asked for.
struct PowerTarget {
  double power = 0.9;        ///< chance of a verdict, in (0, 1)
  double alpha = 0.05;       ///< error rate over all looks, in (0, 1)
  std::size_t findings = 1;  ///< judged together: the first call among M needs p ≤ alpha/M
};

/// The fewest rounds with which one finding among `findings` can be called at all: a two-sided sign-flip
/// p-value is at least 2^(1−n). 6 for one at 5 %, 11 for 40.
std::size_t min_rounds(std::size_t findings, double alpha = 0.05);

/// The two-sided level that the last look of a campaign of so many rounds has of its own, where all looks
/// together have alpha: a good half of it, see Boundary. rounds from 1 on.
double level_of_end(std::size_t rounds, double alpha);

/// The chance that the signed-rank test at level `alpha` (two-sided) calls a constant effect of `delta`
/// standard deviations among `rounds` normal ones, from the statistic's exact critical count and its mean and
/// variance under that effect, taken as normal. Good to a few per cent from 6 rounds on. rounds from 1 to
/// 200, delta at least 0. Cost: one numerical integral. Source: Lehmann, Nonparametrics (1975), section 4.2.
double chance_to_call(std::size_t rounds, double delta, double alpha);

// What follows comes from the spread of a pilot's effects, never from their sign or size, for normal
// effects judged at the last look of so many rounds, by chance_to_call() up to 200 rounds and by Noether's
// approximation beyond. Earlier looks add a few per cent of power. σ is the sample standard deviation about
// the pilot's median; the range comes from its 80 % chi-squared interval. At least three effects, all
// finite, not all equal, a power and an alpha in (0, 1); else DomainError. Source: Lehmann 1975; Noether
// 1987; two one-sided tests, Schuirmann 1987.

/// The smallest change that `rounds` rounds call with the power wished for; empty when no change is called
/// by so few.
std::optional<RoundsForecast> smallest_change(std::span<const double> pilot_effects, std::size_t rounds,
                                              const PowerTarget& wish = {});

/// Rounds needed to call a constant effect `change` (log ratio, or difference; not 0) with the power wished
/// for.
RoundsForecast rounds_to_call(std::span<const double> pilot_effects, double change,
                              const PowerTarget& wish = {});

/// Rounds needed to say `same` of no change at all, within ± margin (above 0), with the power wished for.
RoundsForecast rounds_to_say_same(std::span<const double> pilot_effects, double margin,
                                  const PowerTarget& wish = {});

/// The smallest margin within which so many rounds say `same` of no change at all, with the power wished for;
/// empty when they are too few for any.
std::optional<RoundsForecast> margin_to_say_same(std::span<const double> pilot_effects, std::size_t rounds,
                                                 const PowerTarget& wish = {});

}  // namespace assay::schedule
