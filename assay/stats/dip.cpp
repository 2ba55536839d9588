#include "assay/stats/dip.hpp"

#include <algorithm>
#include <cmath>
#include <map>
#include <mutex>
#include <vector>

#include "assay/model/error.hpp"
#include "assay/stats/preconditions.hpp"
#include "assay/stats/random.hpp"

namespace assay::stats {
namespace {

using Places = std::vector<std::size_t>;

/// For each place the one before it on the greatest convex minorant of the steps up to there, or after it on
/// the least concave majorant of the steps from there on.
Places minorant(const std::vector<double>& x) {
  Places back(x.size(), 0);
  for (std::size_t j = 1; j < x.size(); ++j) {
    back[j] = j - 1;
    while (true) {
      const auto a = back[j], b = back[a];
      if (a == 0 || (x[j] - x[a]) * static_cast<double>(a - b) < (x[a] - x[b]) * static_cast<double>(j - a))
        break;
      back[j] = b;
    }
  }
  return back;
}

Places majorant(const std::vector<double>& x) {
  const auto last = x.size() - 1;
  Places next(x.size(), last);
  for (std::size_t k = last; k-- > 0;) {
    next[k] = k + 1;
    while (true) {
      const auto a = next[k], b = next[a];
      if (a == last ||
          (x[a] - x[k]) * static_cast<double>(b - a) < (x[b] - x[a]) * static_cast<double>(a - k))
        break;
      next[k] = b;
    }
  }
  return next;
}

/// Twice n times the largest distance between the steps and a chord from place a to place b (a < b), above
/// the chord for the convex part, below it for the concave one.
double chord_distance(const std::vector<double>& x, std::size_t a, std::size_t b, bool convex) {
  double largest = 1;
  if (b - a <= 1 || x[b] == x[a]) return largest;
  const double slope = static_cast<double>(b - a) / (x[b] - x[a]);
  for (std::size_t j = a; j <= b; ++j) {
    const double on_chord = (x[j] - x[a]) * slope;
    const double steps = static_cast<double>(j - a);
    largest = std::max(largest, convex ? steps + 1 - on_chord : on_chord - (steps - 1));
  }
  return largest;
}

struct Apart {
  double distance = 1;  ///< in units of 1/(2n)
  std::size_t at_convex = 0, at_concave = 0;
};

/// Where the two hulls of the steps are furthest apart. Both lead from one end of the modal stretch to the
/// other: `convex` from its high end down, `concave` from its low end up.
Apart furthest_apart(const std::vector<double>& x, const Places& convex, const Places& concave) {
  Apart best{.at_convex = convex.size() - 1, .at_concave = concave.size() - 1};
  if (convex.size() == 2 && concave.size() == 2) return best;
  best.distance = 0;
  std::size_t below = convex.size() - 1, iv = 1;  // below: one past the place in question on the convex hull
  const auto height = [](std::size_t to, std::size_t from) {
    return static_cast<double>(to) - static_cast<double>(from);
  };
  do {
    const auto g = convex[below - 1], l = concave[iv];
    if (g > l) {
      const auto g1 = convex[below];
      const double distance = height(l, g1) + 1 - (x[l] - x[g1]) * height(g, g1) / (x[g] - x[g1]);
      if (distance >= best.distance) best = {distance, below, iv};
      iv = std::min(iv + 1, concave.size() - 1);
    } else {
      const auto l1 = concave[iv - 1];
      const double distance = (x[g] - x[l1]) * height(l, l1) / (x[l] - x[l1]) - (height(g, l1) - 1);
      if (distance >= best.distance) best = {distance, below - 1, iv};
      below = std::max<std::size_t>(below - 1, 1);
    }
  } while (convex[below - 1] != concave[iv]);
  return best;
}

}  // namespace

double dip(std::span<const double> values) {
  require_finite(values);
  std::vector<double> x(values.begin(), values.end());
  std::ranges::sort(x);
  const double n = static_cast<double>(x.size());
  if (x.size() < 2 || x.front() == x.back()) return 1 / (2 * n);
  const auto back = minorant(x), next = majorant(x);
  std::size_t low = 0, high = x.size() - 1;
  double found = 1;  // in units of 1/(2n)
  while (true) {
    Places convex = {high}, concave = {low};
    while (convex.back() > low) convex.push_back(back[convex.back()]);
    while (concave.back() < high) concave.push_back(next[concave.back()]);
    const auto [apart, at_convex, at_concave] = furthest_apart(x, convex, concave);
    if (apart < found) break;
    double deepest = 0;
    for (std::size_t j = at_convex; j + 1 < convex.size(); ++j)
      deepest = std::max(deepest, chord_distance(x, convex[j + 1], convex[j], true));
    for (std::size_t j = at_concave; j + 1 < concave.size(); ++j)
      deepest = std::max(deepest, chord_distance(x, concave[j], concave[j + 1], false));
    found = std::max(found, deepest);
    if (low == convex[at_convex] && high == concave[at_concave]) break;
    low = convex[at_convex];
    high = concave[at_concave];
  }
  return found / (2 * n);
}

DipTest::DipTest(std::size_t n, std::size_t draws, std::uint64_t seed) : n_(n) {
  if (n == 0 || draws == 0) throw DomainError("the dip test needs at least one value and one draw");
  Random random(seed);
  std::vector<double> uniform(n);
  for (std::size_t draw = 0; draw < draws; ++draw) {
    for (auto& u : uniform) u = random.uniform();
    dips_.push_back(dip(uniform));
  }
  std::ranges::sort(dips_);
}

TestResult DipTest::test(std::span<const double> values) const {
  if (values.size() != n_) throw DomainError("these dips are of samples of another size");
  const double seen = dip(values);
  const auto as_large = dips_.end() - std::ranges::lower_bound(dips_, seen);
  return {.statistic = seen,
          .p = static_cast<double>(as_large + 1) / static_cast<double>(dips_.size() + 1),
          .exact = false};
}

std::shared_ptr<const DipTest> dip_test_for(std::size_t n, std::size_t draws) {
  static std::mutex guard;
  static std::map<std::pair<std::size_t, std::size_t>, std::shared_ptr<const DipTest>> known;
  constexpr std::size_t most_kept = 64;
  const std::scoped_lock lock(guard);
  if (known.size() >= most_kept) known.clear();
  auto& made = known[{n, draws}];
  if (!made) made = std::make_shared<const DipTest>(n, draws);
  return made;
}

}  // namespace assay::stats
