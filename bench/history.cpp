// What locate and trend promise, by seeded simulation: pairs that a search takes and how often its answer is
// wrong, and how often histories without a change suggest one.
//
//   bench_history [SEARCHES]      default 1000 a cell

#include <fmt/format.h>

#include <cmath>
#include <cstdlib>
#include <functional>
#include <string>
#include <vector>

#include "assay/history/commit_search.hpp"
#include "assay/history/history_line.hpp"
#include "assay/stats/random.hpp"
#include "assay/stats/segments.hpp"

namespace {

using assay::history::CommitPosterior;
using assay::stats::Random;

/// How one kind of search is made up. Effects are in standard deviations of a pair.
struct Kind {
  std::string name;
  std::size_t commits = 64;
  double effect = 2;
  double wild = 0;    ///< share of pairs that scatter ten times as much
  double silent = 0;  ///< share of commits that tell nothing
  double luck = 0;  ///< standard deviation of what a commit's layout adds, fixed for each, or drawn per pair
  bool luck_per_pair = false;
  bool two = false;   ///< a second step of the same size
  bool half = false;  ///< reckoned with half of the total
  /// Rounds of good against bad, which every search begins with; they tell how much pairs scatter, and are
  /// not counted.
  int ends = 7;
};

struct Came {
  double pairs = 0;
  bool right = false;
};

Came search(const Kind& kind, std::uint64_t stream) {
  Random random(2026, stream);
  auto first = 1 + random.below(kind.commits),
       second = kind.two ? 1 + random.below(kind.commits) : kind.commits + 1;
  if (second < first) std::swap(first, second);
  const double total = kind.effect * (kind.two ? 2 : 1);
  CommitPosterior commits(kind.commits, {.step = kind.half ? total / 2 : total, .total = total, .scale = 1});
  for (std::size_t place = 1; place < kind.commits; ++place)
    if (random.uniform() < kind.silent) commits.mark_unmeasurable(place);
  const double per_pair = kind.luck_per_pair ? kind.luck : 0;
  for (int i = 0; i < kind.ends; ++i)
    commits.add(kind.commits, total + random.normal() * (random.uniform() < kind.wild ? 10 : 1) +
                                  per_pair * random.normal());
  std::vector<double> luck(kind.commits + 1);
  for (double& one : luck) one = kind.luck * random.normal();
  const std::vector<CommitPosterior::Cost> costs(kind.commits + 1, {.before = 0, .pair = 1});
  while (commits.likeliest().probability < 0.95) {
    const auto probe = commits.next(costs);
    if (!probe) break;
    const double level =
        (probe->place >= first ? kind.effect : 0) + (probe->place >= second ? kind.effect : 0);
    const double noise = random.normal() * (random.uniform() < kind.wild ? 10 : 1);
    commits.add(probe->place,
                level + noise + (kind.luck_per_pair ? kind.luck * random.normal() : luck[probe->place]));
  }
  const auto run = commits.likeliest();
  return {static_cast<double>(commits.pairs()) - kind.ends, run.first <= first && first < run.end};
}

/// Plain bisection with so many pairs at each commit, their mean held against half of the effect.
Came bisect(const Kind& kind, int pairs_each, std::uint64_t stream) {
  Random random(2027, stream);
  const auto first = 1 + random.below(kind.commits);
  std::size_t good = 0, bad = kind.commits;
  Came came;
  while (bad - good > 1) {
    const auto middle = (good + bad) / 2;
    double sum = 0;
    for (int i = 0; i < pairs_each; ++i) sum += (middle >= first ? kind.effect : 0) + random.normal();
    came.pairs += pairs_each;
    (sum / pairs_each > kind.effect / 2 ? bad : good) = middle;
  }
  came.right = bad == first;
  return came;
}

void tell(const std::string& name, int searches, const std::function<Came(std::uint64_t)>& one) {
  double pairs = 0;
  int wrong = 0;
  for (int i = 0; i < searches; ++i) {
    const auto came = one(static_cast<std::uint64_t>(i));
    pairs += came.pairs;
    wrong += came.right ? 0 : 1;
  }
  fmt::print("  {:<58} {:7.1f} pairs {:6.1f} % wrong\n", name, pairs / searches, 100.0 * wrong / searches);
}

double student(Random& random) {
  double squares = 0;
  for (int i = 0; i < 3; ++i) squares += std::pow(random.normal(), 2);
  return random.normal() / std::sqrt(squares / 3);
}

/// Histories of 200 commits without a change: how many are cut, and how many suggest a step of more than a
/// margin of half the noise.
void tell_histories(const std::string& name, int histories,
                    const std::function<double(Random&, double)>& next) {
  int cut = 0, suggested = 0;
  for (int i = 0; i < histories; ++i) {
    Random random(2028, static_cast<std::uint64_t>(i));
    std::vector<double> values(200);
    double last = 0;
    for (double& value : values) value = last = next(random, last);
    cut += assay::stats::multiscale_segments(values).size() > 1 ? 1 : 0;
    suggested += assay::history::find_change_points(values, 0.5).steps.empty() ? 0 : 1;
  }
  fmt::print("  {:<40} {:5.1f} % cut by signs, {:5.1f} % suggest a step\n", name, 100.0 * cut / histories,
             100.0 * suggested / histories);
}

}  // namespace

int main(int argc, char** argv) {
  const int searches = argc > 1 ? std::atoi(argv[1]) : 1000;
  fmt::print("Pairs until 95 % sure, and wrong answers; effect in standard deviations of a pair\n");
  for (const std::size_t commits : {64U, 1024U})
    for (const double effect : {1.0, 2.0, 4.0}) {
      const Kind kind{.commits = commits, .effect = effect};
      const int few = commits > 64 ? std::max(1, searches / 5) : searches;
      tell(fmt::format("{} commits, effect {}", commits, effect), few,
           [&](std::uint64_t i) { return search(kind, i); });
      auto known = kind;
      known.ends = 60;
      tell("  with the scatter known beforehand", few, [&](std::uint64_t i) { return search(known, i); });
      const int each = static_cast<int>(std::ceil(23 / (effect * effect)));
      tell(fmt::format("  bisection with {} pairs a commit", each), searches,
           [&](std::uint64_t i) { return bisect(kind, each, i); });
    }
  for (const auto& kind :
       {Kind{.name = "64, 2: a tenth of the pairs ten times as wild", .wild = 0.1},
        Kind{.name = "64, 2: 15 % of the commits tell nothing", .silent = 0.15},
        Kind{.name = "64, 2: reckoned with half of it", .half = true},
        Kind{.name = "64: two steps of 2, reckoned with half of both", .two = true, .half = true},
        Kind{.name = "64, 2: layout luck of a quarter, fixed per commit", .luck = 0.5},
        Kind{.name = "64, 2: layout luck of half, fixed per commit", .luck = 1},
        Kind{.name = "64, 2: layout luck of half, another for each pair", .luck = 1, .luck_per_pair = true}})
    tell(kind.name, searches, [&](std::uint64_t i) { return search(kind, i); });
  fmt::print("Histories of 200 commits without a change\n");
  const int histories = std::max(20, searches / 5);
  tell_histories("normal noise", histories, [](Random& r, double) { return r.normal(); });
  tell_histories("Student's t, 3 degrees of freedom", histories,
                 [](Random& r, double) { return student(r); });
  tell_histories("5 % outliers", histories,
                 [](Random& r, double) { return r.normal() * (r.uniform() < 0.05 ? 20 : 1); });
  tell_histories("autocorrelation 0.5", histories,
                 [](Random& r, double last) { return 0.5 * last + std::sqrt(0.75) * r.normal(); });
}
