#pragma once

#include <cmath>
#include <vector>

#include "assay/judge/sequential.hpp"
#include "assay/stats/random.hpp"

namespace assay::test {
using namespace model;

/// Rounds with these effects, which are differences; neither side of a round is slow.
inline judge::PairedSeries series_of(const std::vector<double>& effects, std::int64_t id = 1) {
  judge::PairedSeries series{.comparison = {{0}, {id}}};
  for (std::size_t i = 0; i < effects.size(); ++i) {
    series.rounds.push_back(static_cast<int>(i) + 2);
    series.baseline.push_back(-0.5 * effects[i]);
    series.candidate.push_back(0.5 * effects[i]);
  }
  return series;
}

inline judge::TestFamily family(double margin, int max = 60) {
  return {.options = {.metric = {.name = "level", .unit = "m", .scale = Scale::difference}, .margin = margin},
          .max_rounds = max};
}

inline std::vector<double> normal_effects(stats::Random& random, std::size_t n, double centre, double sd) {
  std::vector<double> d(n);
  for (auto& v : d) v = centre + sd * random.normal();
  return d;
}

inline Finding settle_one(const std::vector<double>& effects, const judge::TestFamily& rules,
                          judge::Stage stage = judge::Stage::ended) {
  const std::vector<judge::PairedSeries> one = {series_of(effects)};
  return judge::decide_family(one, rules, stage).front();
}

/// What a campaign shows that ends when its finding is settled.
inline Finding settle_and_stop(const std::vector<double>& effects, const judge::TestFamily& rules) {
  const auto whole = settle_one(effects, rules);
  if (!whole.decided) return whole;
  return settle_one({effects.begin(), effects.begin() + static_cast<std::ptrdiff_t>(whole.decided_at_round)},
                    rules, judge::Stage::running);
}

}  // namespace assay::test
