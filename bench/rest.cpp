// What is said of programs whose slow runs, means or noise differ, by simulation: campaigns of 8 to 60 rounds
// that end when their finding is settled.
//
//   bench_rest [CAMPAIGNS]    campaigns for each row (default 250)

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <functional>
#include <string>
#include <utility>
#include <vector>

#include "assay/judge/sequential.hpp"
#include "assay/stats/random.hpp"

namespace {

using namespace assay;
using namespace assay::model;
using Draw = std::function<double(stats::Random&)>;

judge::TestFamily family(const std::string& metric, double margin) {
  return {.options = {.metric = {.name = metric, .unit = "s"}, .margin = margin}};
}

Draw stalling(double share, double times, double quicker = 0) {
  return [=](stats::Random& random) {
    return 0.005 * random.normal() - quicker + (random.uniform() < share ? std::log(times) : 0);
  };
}

void said_of(const std::string& name, int campaigns, const judge::TestFamily& rules, const Draw& baseline,
             const Draw& candidate) {
  int same = 0, better = 0, worse = 0, in_most = 0, slow = 0, mean = 0;
  double rounds = 0;
  for (int i = 0; i < campaigns; ++i) {
    stats::Random random(78, static_cast<std::uint64_t>(i));
    judge::PairedSeries series{.comparison = {{0}, {1}}};
    for (int r = 0; r < 60; ++r) {
      series.rounds.push_back(r + 2);
      series.baseline.push_back(std::exp(baseline(random)));
      series.candidate.push_back(std::exp(candidate(random)));
    }
    auto f = judge::decide_family({&series, 1}, rules, judge::Stage::ended).front();
    if (f.decided && f.decided_at_round < series.rounds.size()) {
      series.rounds.resize(f.decided_at_round);
      series.baseline.resize(f.decided_at_round);
      series.candidate.resize(f.decided_at_round);
      f = judge::decide_family({&series, 1}, rules, judge::Stage::running).front();
    }
    same += f.verdict == Verdict::same ? 1 : 0;
    better += f.verdict == Verdict::better ? 1 : 0;
    worse += f.verdict == Verdict::worse ? 1 : 0;
    using enum RoundsToDecide::Obstacle;
    in_most += f.rounds_to_decide && (f.rounds_to_decide->obstacle == fast_and_slow ||
                                      f.rounds_to_decide->obstacle == slow_runs)
                   ? 1
                   : 0;
    slow += f.slow && f.slow->shown != 0 ? 1 : 0;
    mean += f.mean && f.mean->shown != 0 ? 1 : 0;
    rounds += static_cast<double>(f.rounds) / campaigns;
  }
  const auto share = [&](int count) { return 100.0 * count / campaigns; };
  fmt::print("| {} | {:.1f} | {:.1f} | {:.1f} | {:.1f} | {:.1f} | {:.1f} | {:.1f} |\n", name, share(same),
             share(better), share(worse), share(in_most), share(slow), share(mean), rounds);
}

void with_repeats(int campaigns, int repeats, double dear, double cheap) {
  int called = 0, missed = 0;
  double half = 0;
  const auto rules = family("wall time", 1e-9);
  for (int i = 0; i < campaigns; ++i) {
    stats::Random random(79, static_cast<std::uint64_t>(i));
    judge::PairedSeries series{.comparison = {{0}, {1}}, .replication = {1, repeats}};
    for (int r = 0; r < 60; ++r) {
      const double state = 0.1 * random.normal();
      series.rounds.push_back(r + 2);
      series.baseline.push_back(std::exp(state + dear * random.normal()));
      for (int k = 0; k < repeats; ++k) series.candidate.push_back(std::exp(state + cheap * random.normal()));
    }
    const auto f = judge::decide_family({&series, 1}, rules, judge::Stage::ended).front();
    called += f.verdict == Verdict::better || f.verdict == Verdict::worse ? 1 : 0;
    missed += f.interval.contains(1) ? 0 : 1;
    half += 50 * (f.interval.high - f.interval.low) / campaigns;
  }
  fmt::print("| {} | {:.1f} / {:.1f} % | {:.1f} | {:.1f} | {:.2f} |\n", repeats, 100 * dear, 100 * cheap,
             100.0 * called / campaigns, 100 - 100.0 * missed / campaigns, half);
}

}  // namespace

int main(int argc, char** argv) {
  const int n = argc > 1 ? std::max(20, std::atoi(argv[1])) : 250;
  fmt::print(
      "| the candidate; margin 1 % | same % | better % | worse % | \"in most runs\" % | slow runs shown % | "
      "mean shown % | "
      "rounds |\n|---|---|---|---|---|---|---|---|\n");
  const auto time = family("wall time", 0.01);
  const auto quiet = stalling(0, 1);
  said_of("as its baseline", n, time, quiet, quiet);
  for (const auto& [share, times] : {std::pair{0.05, 3.0}, {0.1, 1.5}, {0.1, 3.0}, {0.15, 2.0}, {0.2, 3.0}})
    said_of(fmt::format("{} times as long in {:.0f} % of its runs", times, 100 * share), n, time, quiet,
            stalling(share, times));
  for (const double share : {0.1, 0.2})
    said_of(fmt::format("4 % quicker, 3 times as long in {:.0f} %", 100 * share), n, time, quiet,
            stalling(share, 3, 0.04));
  said_of("p99 of a round, margin 5 %: 3 times in 10 % of rounds", n, family("latency p99", 0.05), quiet,
          stalling(0.1, 3));
  said_of("as its baseline, both 3 times as long in 10 %", n, time, stalling(0.1, 3), stalling(0.1, 3));
  for (const double sd : {0.04, 0.08}) {
    const auto slowed = [](double own) {
      return Draw([own](stats::Random& r) {
        return own * r.normal() + (r.below(3) == 0 ? -0.2 * std::log(1 - r.uniform()) : 0);
      });
    };
    said_of(fmt::format("equal medians, {:.0f} times as noisy, a third of all trials slowed", 100 * sd), n,
            time, slowed(0.01), slowed(sd));
  }
  fmt::print(
      "\n| runs beside one | noise of the dear and the cheap one | called % | interval covers % | half width "
      "% |\n"
      "|---|---|---|---|---|\n");
  for (const int repeats : {4, 9})
    for (const auto& [dear, cheap] :
         {std::pair{0.01, 0.01}, {0.03, 0.01}, {0.03, 0.003}, {0.01, 0.03}, {0.003, 0.03}})
      with_repeats(4 * n, repeats, dear, cheap);
}
