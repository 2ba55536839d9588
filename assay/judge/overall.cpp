#include "assay/judge/overall.hpp"

#include <algorithm>
#include <cmath>
#include <map>
#include <numeric>
#include <optional>
#include <set>

#include "assay/judge/pairs.hpp"
#include "assay/judge/settle.hpp"
#include "assay/model/plan.hpp"

namespace assay::inline v1::judge {
namespace {

/// Each comparison's share of the whole: its workload's weight, divided among that workload's comparisons.
std::vector<double> shares_of(const Design& design, const std::vector<PairedSeries>& all) {
  const auto workload_of = [&](const PairedSeries& series) {
    return design.cells[series.of.candidate].workload;
  };
  std::map<WorkloadId, double> comparisons;
  for (const auto& series : all) ++comparisons[workload_of(series)];
  std::vector<double> shares;
  for (const auto& series : all) {
    const auto workload = workload_of(series);
    shares.push_back(design.workloads[workload].weight / comparisons[workload]);
  }
  const double whole = std::accumulate(shares.begin(), shares.end(), 0.0);
  for (auto& share : shares) share /= whole;
  return shares;
}

/// The rounds that all of several series have, and the weighted geometric mean of each side in each. (Both
/// sides: what is judged must be what swaps of the two would exchange.)
PairedSeries mean_of(const std::vector<PairedSeries>& all, const std::vector<double>& shares) {
  struct Sums {
    double baseline = 0, candidate = 0;
    std::size_t count = 0;
  };
  std::map<int, Sums> of;
  for (std::size_t s = 0; s < all.size(); ++s)
    for (std::size_t i = 0; i < all[s].rounds.size(); ++i) {
      auto& sums = of[all[s].rounds[i]];
      sums.baseline += shares[s] * std::log(all[s].baseline[i]);
      sums.candidate += shares[s] * std::log(all[s].candidate[i]);
      ++sums.count;
    }
  PairedSeries mean{.of = all.front().of};
  for (const auto& series : all)
    mean.repeats.layouts = std::max(mean.repeats.layouts, series.repeats.layouts);
  for (const auto& [round, sums] : of) {
    if (sums.count < all.size()) continue;
    mean.rounds.push_back(round);
    mean.baseline.push_back(std::exp(sums.baseline));
    mean.candidate.push_back(std::exp(sums.candidate));
  }
  for (const auto& series : all) {  // from its first trial at the time limit on
    if (series.in_time >= series.rounds.size()) continue;
    const auto at =
        std::ranges::lower_bound(mean.rounds, series.rounds[series.in_time]) - mean.rounds.begin();
    mean.in_time = std::min(mean.in_time, static_cast<std::size_t>(at));
  }
  return mean;
}

bool disagree(const Findings& findings, CandidateId candidate, MetricId metric) {
  bool better = false, worse = false;
  for (const auto& f : findings.findings) {
    if (f.metric != metric || findings.candidate_of(f).candidate != candidate) continue;
    better = better || f.verdict == Verdict::better;
    worse = worse || f.verdict == Verdict::worse;
  }
  return better && worse;
}

/// The factor of sizes with which a candidate's ratio to its baseline changes: the intervals of their
/// exponents don't touch. Empty when there is none.
std::string changes_with(const Findings& findings, CandidateId candidate, std::optional<CandidateId> against,
                         MetricId metric) {
  for (const auto& mine : findings.trends)
    for (const auto& its : findings.trends)
      if (mine.candidate == candidate && its.candidate == against && mine.metric == metric &&
          its.metric == metric && mine.workload == its.workload && mine.factor == its.factor &&
          mine.others == its.others && mine.exponent && its.exponent &&
          (mine.exponent_interval.low > its.exponent_interval.high ||
           mine.exponent_interval.high < its.exponent_interval.low))
        return mine.factor;
  return {};
}

}  // namespace

std::vector<Overall> judge_overall(const Evidence& evidence, const Findings& findings) {
  const auto& design = evidence.design;
  std::vector<Overall> result;
  for (const auto metric : design.metrics.ids()) {
    const auto& what = design.metrics[metric];
    if (!what.demand.watched || what.exact || what.scale == Scale::difference) continue;
    const auto cells = by_cell(evidence.values(metric));
    std::map<CandidateId, std::vector<PairedSeries>> of;
    for (const auto& contrast : design.contrasts) {
      if (design.is_twin(contrast.candidate) || !evidence.is_sound(contrast)) continue;
      auto series = pair_up(contrast, cells);
      series.repeats.layouts = layouts_of(design, contrast);
      if (series.rounds.empty() || !all_fit(series, what.scale)) continue;
      mark_time_limits(evidence, series);
      of[design.cells[contrast.candidate].candidate].push_back(std::move(series));
    }
    std::vector<PairedSeries> means;
    const auto first = result.size();
    for (const auto& [candidate, series] : of) {
      if (series.size() < 2) continue;
      means.push_back(mean_of(series, shares_of(design, series)));
      result.push_back({.candidate = candidate,
                        .metric = metric,
                        .cells = series.size(),
                        .finding = {},
                        .agree = !disagree(findings, candidate, metric)});
    }
    if (means.empty()) continue;
    auto judged = settle(means, rules_for(design, metric, means),
                         design.rules.rounds_max == 0 ? Stage::ended : Stage::going);
    for (std::size_t i = 0; i < judged.size(); ++i) {
      auto& overall = result[first + i];
      overall.finding = std::move(judged[i]);
      overall.finding.metric = metric;
      overall.rounds = means[i].rounds.size();
      if (overall.rounds < static_cast<std::size_t>(fewest_rounds))
        overall.obstacle = Overall::Obstacle::too_few_rounds;
      overall.factor =
          changes_with(findings, overall.candidate, design.candidates[overall.candidate].against, metric);
      if (!overall.factor.empty()) overall.obstacle = Overall::Obstacle::changes_with_size;
    }
  }
  return result;
}

}  // namespace assay::inline v1::judge
