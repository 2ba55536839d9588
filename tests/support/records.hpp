#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "assay/model/findings.hpp"

namespace assay::test {

/// A finished campaign of one workload: candidate i's value in round r is values[i][r]; the first candidate
/// is the baseline. Round 1 is a warm-up with values of its own.
inline Record record_of(const std::vector<std::vector<double>>& values,
                        const std::string& metric = "wall time") {
  Record record;
  record.info = {.uid = "0123456789abcdef",
                 .title = "barges",
                 .kind = "plan",
                 .seed = 7,
                 .state = CampaignState::ended,
                 .started = 1'700'000'000,
                 .repeat = "assay run assay.toml"};
  record.design.workloads = {{"orders", {"${exe}"}}};
  record.design.metrics = {{.name = metric, .unit = "s"}};
  record.demands = {{.watched = true}};
  record.log.sittings.emplace_back();
  for (std::size_t i = 0; i < values.size(); ++i) {
    const auto id = static_cast<std::int64_t>(i);
    record.design.candidates.push_back({.name = i == 0 ? "list" : "rival" + std::to_string(i)});
    record.design.cells.push_back({.candidate = {id}});
    if (i == 0) continue;
    record.design.candidates.back().against = CandidateId{0};
    record.design.contrasts.push_back({{0}, {id}});
  }
  const auto rounds = values.front().size();
  for (std::size_t r = 0; r <= rounds; ++r) {
    Round round{.number = static_cast<int>(r) + 1, .state = RoundState::whole};
    for (std::size_t i = 0; i < values.size(); ++i) {
      const CellId cell{static_cast<std::int64_t>(i)};
      round.order.push_back(cell);
      Trial trial{.cell = cell, .round = round.number, .role = r == 0 ? Role::first : Role::counted};
      trial.position = static_cast<int>(i);
      trial.readings = {{MetricId{0}, r == 0 ? 99.0 : values[i][r - 1]}};
      record.log.trials.push_back(trial);
    }
    record.log.rounds.push_back(round);
  }
  return record;
}

}  // namespace assay::test
