// How fast the statistics are, each beside the naive way in the same run.

#include <fmt/format.h>
#include <sys/resource.h>

#include <algorithm>
#include <chrono>
#include <cmath>
#include <functional>
#include <vector>

#include "assay/judge/sequential.hpp"
#include "assay/schedule/interim_looks.hpp"
#include "assay/stats/hodges_lehmann.hpp"
#include "assay/stats/null_distribution.hpp"
#include "assay/stats/random.hpp"

namespace {

using namespace assay;
using namespace assay::model;

/// The quickest of three, since other work on the machine only adds.
double seconds(const std::function<void()>& work) {
  double least = INFINITY;
  for (int i = 0; i < 3; ++i) {
    const auto start = std::chrono::steady_clock::now();
    work();
    least = std::min(least, std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count());
  }
  return least;
}

void row(const char* what, double ours, double naive, const char* naive_way) {
  fmt::print("{:<62} {:>9.2f} ms", what, ours * 1e3);
  if (naive > 0) fmt::print("  {:>7.4f} of {}", ours / naive, naive_way);
  fmt::print("\n");
}

std::vector<double> sample(std::size_t n, double rounded_to = 0) {
  stats::Random random(n);
  std::vector<double> values(n);
  for (auto& v : values) {
    v = random.normal() + 0.1;
    if (rounded_to > 0) v = std::round(v / rounded_to) * rounded_to;
  }
  return values;
}

void walsh() {
  const auto interval = [](const std::vector<double>& d) {
    const stats::WalshAverages averages(d);
    const auto c = stats::SignedRank(d.size()).critical_count(0.05);
    return averages.median() + averages.interval(c).low;
  };
  const auto naive = [](const std::vector<double>& d) {
    std::vector<double> all;
    for (std::size_t i = 0; i < d.size(); ++i)
      for (std::size_t j = i; j < d.size(); ++j) all.push_back(0.5 * d[i] + 0.5 * d[j]);
    std::ranges::sort(all);
    return all[all.size() / 2];
  };
  volatile double sink = 0;
  const auto few = sample(2000), many = sample(100'000);
  rusage before{}, after{};
  getrusage(RUSAGE_SELF, &before);
  const double large = seconds([&] { sink = interval(many); });
  getrusage(RUSAGE_SELF, &after);
  row("Walsh median and interval, 100 000 values", large, 0, "");
  fmt::print("{:<62} {:>9.2f} MiB\n", "  memory on top (growth of the process's peak)",
             static_cast<double>(after.ru_maxrss - before.ru_maxrss) / 1024);
  const double slow = seconds([&] { sink = naive(few); });
  row("Walsh median and interval, 2 000 values", seconds([&] { sink = interval(few); }), slow,
      "sorting all averages");
}

void boundary() {
  volatile double sink = 0;
  row("boundary for up to 200 rounds",
      seconds([&] { sink = schedule::StoppingBoundary(schedule::planned_looks(7, 200)).error_rate(); }), 0,
      "");
}

void findings_pass() {
  stats::Random random(5);
  std::vector<judge::PairedSeries> family;
  for (std::int64_t id = 1; id <= 1000; ++id) {
    judge::PairedSeries series{.comparison = {{0}, {id}}};
    for (int r = 2; r < 62; ++r) {
      series.rounds.push_back(r);
      series.baseline.push_back(std::exp(0.02 * random.normal()));
      series.candidate.push_back(std::exp(0.02 * random.normal() + (id % 4 == 0 ? 0.03 : 0)));
    }
    family.push_back(std::move(series));
  }
  const judge::TestFamily rules{.options = {.metric = {.name = "wall time", .unit = "s"}, .margin = 0.01}};
  row("findings pass, 1 000 comparisons of 60 rounds, all looks",
      seconds([&] { judge::decide_family(family, rules, judge::Stage::ended); }), 0, "");
}

}  // namespace

int main() {
  walsh();
  boundary();
  findings_pass();
}
