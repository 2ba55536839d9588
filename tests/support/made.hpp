#pragma once

#include <algorithm>
#include <cmath>
#include <map>
#include <string>
#include <utility>
#include <vector>

#include "assay/model/log.hpp"
#include "assay/stats/random.hpp"

namespace assay::test {
using namespace model;

/// A campaign made up of values, a cell at a time. The first candidate is the baseline.
class Made {
 public:
  explicit Made(const std::string& title, CampaignKind kind = CampaignKind::plan) {
    auto& design = record_.design;
    design.uid = "0123456789abcdef";
    design.title = title;
    design.kind = kind;
    design.repeat_command = kind == CampaignKind::contest ? "./contest"
                            : kind == CampaignKind::plan  ? "assay run assay.toml"
                                                          : "assay " + to_string(kind);
    design.rules.seed = 7;
    record_.log.state = CampaignState::ended;
    record_.log.sessions.add({});
  }

  Design& design() { return record_.design; }
  Log& log() { return record_.log; }

  MetricId metric(Metric metric, bool watched = true) {
    metric.request.watched = watched;
    return design().metrics.add(std::move(metric));
  }
  MetricId wall_time() { return metric({.name = "wall time", .unit = "s"}); }

  CandidateId candidate(const std::string& name) {
    const auto id = design().candidates.add({.name = name});
    if (id != CandidateId{0}) design().candidates[id].baseline = CandidateId{0};
    return id;
  }
  WorkloadId workload(const std::string& name) { return design().workloads.add({.name = name}); }
  CellId cell(CandidateId candidate, WorkloadId workload = {}, const Setting& setting = {}) {
    if (design().workloads.empty()) this->workload("orders");
    const auto id = design().cells.add({candidate, workload, setting});
    for (const auto other : design().cells.ids())
      if (candidate != CandidateId{0} && design().cells[other] == Cell{CandidateId{0}, workload, setting})
        design().comparisons.push_back({other, id});
    return id;
  }

  /// A reading of each round, from the first judged one on.
  void values(CellId cell, MetricId metric, const std::vector<double>& values) {
    readings_[cell][metric] = values;
  }
  /// The same around a centre, with lognormal noise.
  void around(CellId cell, MetricId metric, double centre, std::size_t rounds, double spread = 0.003) {
    stats::Random random(99, static_cast<std::uint64_t>(cell.value * 100 + metric.value));
    std::vector<double> all;
    for (std::size_t r = 0; r < rounds; ++r) all.push_back(centre * std::exp(spread * random.normal()));
    values(cell, metric, all);
  }
  /// Many values in each of a cell's trials.
  void series(CellId cell, MetricId metric, const std::vector<Point>& points) {
    series_[cell] = points;
    for (auto& point : series_[cell]) point.metric = metric;
  }
  /// Some of a cell's trials end so.
  void failed(CellId cell, const std::vector<std::size_t>& rounds) { failed_[cell] = rounds; }
  void stands(CellId cell, StatusCode status, const std::string& why) {
    record_.log.status_changes.push_back({cell, {status, why}});
  }

  /// With the rounds that were given, each whole, in the order of the cells.
  Record record() {
    std::size_t rounds = 0;
    for (const auto& [cell, metrics] : readings_)
      for (const auto& [metric, values] : metrics) rounds = std::max(rounds, values.size());
    for (std::size_t r = 0; r < rounds; ++r) add_round(r);
    return record_;
  }

 private:
  void add_round(std::size_t r) {
    Round round;
    round.number = static_cast<int>(r) + 2;  // the warm-up is the first
    round.state = RoundState::complete;
    for (const auto& [cell, metrics] : readings_) {
      if (metrics.begin()->second.size() <= r) continue;
      Trial trial{.cell = cell, .round = round.number};
      trial.position = static_cast<int>(round.order.size());
      const auto failing = failed_.find(cell);
      if (failing != failed_.end() && std::ranges::count(failing->second, r) > 0) {
        trial.outcome = Outcome::failed;
        trial.detail = "ended with exit status 3";
      } else {
        for (const auto& [metric, values] : metrics) trial.readings.push_back({metric, values[r]});
        if (const auto points = series_.find(cell); points != series_.end()) trial.series = points->second;
      }
      round.order.push_back(cell);
      record_.log.trials.push_back(std::move(trial));
    }
    record_.log.rounds.push_back(std::move(round));
  }

  Record record_;
  std::map<CellId, std::map<MetricId, std::vector<double>>> readings_;
  std::map<CellId, std::vector<Point>> series_;
  std::map<CellId, std::vector<std::size_t>> failed_;
};

}  // namespace assay::test
