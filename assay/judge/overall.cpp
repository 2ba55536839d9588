#include <algorithm>
#include <cmath>
#include <map>
#include <numeric>
#include <optional>
#include <set>

#include "assay/judge/findings.hpp"
#include "assay/judge/pairs.hpp"
#include "assay/judge/settle.hpp"
#include "assay/judge/together.hpp"
#include "assay/model/plan.hpp"

namespace assay::judge {
namespace {

/// Each comparison's share of the whole: its workload's weight, divided among that workload's comparisons.
std::vector<double> shares_of(const Record& record, const std::vector<PairedSeries>& all) {
  const auto workload_of = [&](const PairedSeries& series) {
    return record.cells[series.of.candidate.place()].workload;
  };
  std::map<WorkloadId, double> comparisons;
  for (const auto& series : all) ++comparisons[workload_of(series)];
  std::vector<double> shares;
  for (const auto& series : all) {
    const auto workload = workload_of(series);
    shares.push_back(record.workloads[workload.place()].weight / comparisons[workload]);
  }
  const double whole = std::accumulate(shares.begin(), shares.end(), 0.0);
  for (auto& share : shares) share /= whole;
  return shares;
}

/// The rounds that all of several series have, and the mean log ratio in each, as pairs of 1 and its ratio.
PairedSeries mean_of(const std::vector<PairedSeries>& all, const std::vector<double>& shares) {
  std::map<int, std::pair<double, std::size_t>> sums;
  for (std::size_t s = 0; s < all.size(); ++s)
    for (std::size_t i = 0; i < all[s].rounds.size(); ++i) {
      auto& [sum, count] = sums[all[s].rounds[i]];
      sum += shares[s] * std::log(all[s].candidate[i] / all[s].baseline[i]);
      ++count;
    }
  PairedSeries mean{.of = all.front().of};
  for (const auto& [round, sum] : sums) {
    if (sum.second < all.size()) continue;
    mean.rounds.push_back(round);
    mean.baseline.push_back(1);
    mean.candidate.push_back(std::exp(sum.first));
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

std::vector<Overall> judge_overall(const Record& record, const Findings& findings) {
  std::vector<Overall> result;
  for (std::size_t m = 0; m < record.metrics.size(); ++m) {
    const MetricId metric{static_cast<std::int64_t>(m)};
    const auto& what = record.metrics[m];
    if (!record.demands[m].watched || what.exact || what.scale != Scale::ratio) continue;
    const auto cells = by_cell(evidence_of(record, metric));
    std::map<CandidateId, std::vector<PairedSeries>> of;
    for (const auto& contrast : record.contrasts) {
      const auto &baseline = record.cells[contrast.baseline.place()],
                 &cell = record.cells[contrast.candidate.place()];
      if (record.candidates[cell.candidate.place()].twin_of || baseline.standing != Standing::sound ||
          cell.standing != Standing::sound)
        continue;
      if (auto series = pair_up(contrast, cells); !series.rounds.empty() && all_positive(series))
        of[cell.candidate].push_back(std::move(series));
    }
    std::vector<PairedSeries> means;
    const auto first = result.size();
    for (const auto& [candidate, series] : of) {
      if (series.size() < 2) continue;
      means.push_back(mean_of(series, shares_of(record, series)));
      result.push_back({.candidate = candidate,
                        .metric = metric,
                        .cells = series.size(),
                        .finding = {},
                        .agree = !disagree(findings, candidate, metric),
                        .why = {}});
    }
    if (means.empty()) continue;
    auto judged = settle(means, rules_for(record, metric, means),
                         record.info.rounds_max == 0 ? Stage::ended : Stage::going);
    for (std::size_t i = 0; i < judged.size(); ++i) {
      auto& overall = result[first + i];
      overall.finding = std::move(judged[i]);
      overall.finding.metric = metric;
      if (means[i].rounds.size() < static_cast<std::size_t>(fewest_rounds))
        overall.why =
            "only " + std::to_string(means[i].rounds.size()) + " rounds have a pair of all its comparisons";
      if (const auto factor = changes_with(findings, overall.candidate,
                                           record.candidates[overall.candidate.place()].against, metric);
          !factor.empty())
        overall.why = "its ratio to the baseline changes with " + factor;
    }
  }
  return result;
}

}  // namespace assay::judge
