#include "assay/judge/resampling.hpp"

#include <algorithm>
#include <cmath>
#include <utility>
#include <vector>

#include "assay/schedule/look_plan.hpp"
#include "assay/schedule/looks.hpp"
#include "assay/stats/random.hpp"

namespace assay::inline v1::judge {
namespace {

constexpr int continuations = 20;
constexpr std::size_t fewest_to_draw_from = 4;

/// How counts fall out at a look at `rounds` rounds, in the boundary of the campaign or of a longer one.
std::uint64_t critical_at(int rounds, int min_rounds, int max_rounds, double alpha, const Repeats& repeats) {
  const schedule::LookPlan looks(min_rounds, std::max(rounds, max_rounds), repeats);
  const auto place = looks.due_at(rounds);
  if (!place) return 0;
  return looks.boundary(alpha)->critical_count(*place);
}

/// The looks that come after n rounds: those planned, then those that a longer campaign would have.
std::vector<int> looks_after(int n, int min_rounds, int max_rounds, const Repeats& repeats) {
  const int longest = repeats.any() ? 60 : 480;
  std::vector<int> counts = schedule::planned_looks(std::min(min_rounds, max_rounds), max_rounds, repeats);
  for (const int look : schedule::planned_looks(std::min(min_rounds, longest), longest, repeats))
    if (look > max_rounds) counts.push_back(look);
  std::erase_if(counts, [n](int look) { return look <= n; });
  return counts;
}

void append_round(const std::vector<double>& values, std::size_t round, int repeats,
                  std::vector<double>& into) {
  const auto from = values.begin() + static_cast<std::ptrdiff_t>(round) * repeats;
  into.insert(into.end(), from, from + repeats);
}

/// How many of the continuations are settled; no more are made once `enough` are, or can't be any more.
int settled_of(const Estimate& estimate, std::size_t rounds, std::uint64_t critical, int enough) {
  const auto n = estimate.n();
  const auto& repeats = estimate.repeats();
  if (critical == 0 || n < fewest_to_draw_from) return 0;
  const auto &a = estimate.baseline_values(), &b = estimate.candidate_values();
  const double shift = estimate.shift();
  stats::Random random(rounds, n);
  int settled = 0;
  for (int draw = 0; draw < continuations && settled < enough && settled + continuations - draw >= enough;
       ++draw) {
    auto x = a, y = b;
    for (auto have = n; have < rounds; ++have) {
      const auto r = random.below(n);
      if (repeats.any()) {
        append_round(a, r, repeats.baseline, x);
        append_round(b, r, repeats.candidate, y);
        continue;
      }
      double mine = a[r], its = b[r] - shift;
      if (random.below(2) == 0) std::swap(mine, its);
      x.push_back(mine);
      y.push_back(its + shift);
    }
    settled += estimate.would_settle(x, y, critical) ? 1 : 0;
  }
  return settled;
}

}  // namespace

double chance_to_settle(const Estimate& estimate, std::size_t rounds, std::uint64_t critical) {
  return static_cast<double>(settled_of(estimate, rounds, critical, continuations)) / continuations;
}

bool can_settle(const Estimate& estimate, std::size_t rounds, std::uint64_t critical) {
  return settled_of(estimate, rounds, critical, 1) > 0;
}

Price price_by_resampling(const Estimate& estimate, int min_rounds, int max_rounds, double alpha) {
  const auto n = static_cast<int>(estimate.n());
  const auto by_root_rule = [&] {
    const auto critical =
        schedule::null_of(static_cast<int>(estimate.n()), estimate.repeats()).critical_count(alpha);
    return estimate.price(critical);
  };
  if (estimate.n() < fewest_to_draw_from) return {.obstacle = Price::Obstacle::too_few_rounds};
  const auto looks = looks_after(n, min_rounds, max_rounds, estimate.repeats());
  const auto likely = [&](int look) {
    constexpr int half = continuations / 2;
    return settled_of(estimate, static_cast<std::size_t>(look),
                      critical_at(look, min_rounds, max_rounds, alpha, estimate.repeats()), half) >= half;
  };
  const auto first = std::ranges::partition_point(looks, [&](int look) { return !likely(look); });
  if (first != looks.end()) return {.rounds = *first};
  auto price = by_root_rule();
  if (price.rounds > 0 && !looks.empty()) price.rounds = std::max(price.rounds, looks.back());
  return price;
}

}  // namespace assay::inline v1::judge
