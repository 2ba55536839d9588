#include "assay/judge/rounds_needed.hpp"

#include <algorithm>
#include <cmath>
#include <utility>
#include <vector>

#include "assay/schedule/interim_looks.hpp"
#include "assay/stats/random.hpp"

namespace assay::judge {
namespace {

constexpr int continuations = 20, many_continuations = 60;
constexpr std::size_t fewest_to_draw_from = 4;

void append_round(const std::vector<double>& values, std::size_t round, int repeats,
                  std::vector<double>& into) {
  const auto from = values.begin() + static_cast<std::ptrdiff_t>(round) * repeats;
  into.insert(into.end(), from, from + repeats);
}

/// How many of the continuations come to what is asked; no more are made once `needed` do, or can't any more.
int come_to(const PairedTest& estimate, std::size_t rounds, const IsEnough& enough, int all, int needed) {
  const auto n = estimate.n();
  const auto& repeats = estimate.per_round();
  if (n < fewest_to_draw_from) return 0;
  const auto &a = estimate.baseline_values(), &b = estimate.candidate_values();
  const double shift = estimate.shift();
  stats::Random random(rounds, n);
  int come = 0;
  for (int draw = 0; draw < all && come < needed && come + all - draw >= needed; ++draw) {
    auto x = a, y = b;
    for (auto have = n; have < rounds; ++have) {
      const auto r = random.below(n);
      if (repeats.is_replicated()) {
        append_round(a, r, repeats.baseline, x);
        append_round(b, r, repeats.candidate, y);
        continue;
      }
      double mine = a[r], its = b[r] - shift;
      if (random.below(2) == 0) std::swap(mine, its);
      x.push_back(mine);
      y.push_back(its + shift);
    }
    come += enough(estimate.of_rounds(x, y)) ? 1 : 0;
  }
  return come;
}

}  // namespace

double chance_of(const PairedTest& estimate, std::size_t rounds, const IsEnough& enough) {
  return static_cast<double>(come_to(estimate, rounds, enough, continuations, continuations)) / continuations;
}

bool can_come_to(const PairedTest& estimate, std::size_t rounds, const IsEnough& enough) {
  return come_to(estimate, rounds, enough, many_continuations, 1) > 0;
}

RoundsToDecide rounds_needed(const PairedTest& estimate, int min_rounds, double changed, double same) {
  constexpr int longest = 480, half = continuations / 2;
  if (estimate.n() < fewest_to_draw_from) return {.obstacle = RoundsToDecide::Obstacle::too_few_rounds};
  auto looks = schedule::planned_looks(std::min(min_rounds, longest), longest);
  std::erase_if(looks, [n = static_cast<int>(estimate.n())](int look) { return look <= n; });
  const auto likely = [&](int rounds) {
    const schedule::LookSchedule plan(min_rounds, rounds, estimate.repeats());
    const auto last = plan.counts().size() - 1;
    const auto c_changed = plan.boundary(changed)->critical_count(last),
               c_same = plan.boundary(same)->critical_count(last);
    const auto is_settled = [&](const PairedTest& e) { return e.would_decide(c_changed, c_same); };
    return come_to(estimate, static_cast<std::size_t>(rounds), is_settled, continuations, half) >= half;
  };
  const auto first = std::ranges::partition_point(looks, [&](int look) { return !likely(look); });
  if (first != looks.end()) return {.rounds = *first};
  const auto critical =
      schedule::null_distribution(static_cast<int>(estimate.n()), estimate.repeats()).critical_count(changed);
  auto price = estimate.price(critical);
  if (price.rounds > 0 && !looks.empty()) price.rounds = std::max(price.rounds, looks.back());
  return price;
}

}  // namespace assay::judge
