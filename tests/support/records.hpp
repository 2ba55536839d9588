#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "assay/model/evidence.hpp"
#include "assay/model/findings.hpp"
#include "assay/model/names.hpp"
#include "assay/report/notes.hpp"

namespace assay::test {

/// A finished campaign of one workload: candidate i's value in round r is values[i][r]; the first candidate
/// is the baseline. Round 1 is a warm-up with values of its own.
inline Record record_of(const std::vector<std::vector<double>>& values,
                        const std::string& metric = "wall time") {
  Record record;
  auto& design = record.design;
  design = {.uid = "0123456789abcdef",
            .title = "barges",
            .kind = "plan",
            .started = 1'700'000'000,
            .repeat = "assay run assay.toml",
            .rules = {.seed = 7}};
  record.log.state = CampaignState::ended;
  design.workloads = {{.name = "orders", .run = {"${exe}"}}};
  design.metrics = {{.name = metric, .unit = "s", .demand = {.watched = true}}};
  record.log.sittings.add({});
  for (std::size_t i = 0; i < values.size(); ++i) {
    const auto candidate = design.candidates.add({.name = i == 0 ? "list" : "rival" + std::to_string(i)});
    const auto cell = design.cells.add({.candidate = candidate});
    if (i == 0) continue;
    design.candidates[candidate].against = CandidateId{0};
    design.contrasts.push_back({{0}, cell});
  }
  const auto rounds = values.front().size();
  for (std::size_t r = 0; r <= rounds; ++r) {
    Round round;
    round.number = static_cast<int>(r) + 1;
    round.state = RoundState::whole;
    round.role = r == 0 ? Role::first : Role::counted;
    for (std::size_t i = 0; i < values.size(); ++i) {
      const CellId cell{static_cast<std::int64_t>(i)};
      round.order.push_back(cell);
      Trial trial{.cell = cell, .round = round.number, .role = round.role};
      trial.position = static_cast<int>(i);
      trial.readings = {{MetricId{0}, r == 0 ? 99.0 : values[i][r - 1]}};
      record.log.trials.push_back(trial);
    }
    record.log.rounds.push_back(round);
  }
  return record;
}

/// Lines as one text, each with its end.
inline std::string joined(const std::vector<std::string>& lines) {
  std::string text;
  for (const auto& line : lines) text += line + "\n";
  return text;
}

/// The first `count` of a table's things.
template <class Id, class T>
Table<Id, T> first_of(const Table<Id, T>& table, std::size_t count) {
  Table<Id, T> first;
  for (const auto id : table.ids())
    if (first.size() < count) first.add(table[id]);
  return first;
}

/// What judging sees of a record, which has to live as long.
inline Evidence evidence_of(const Record& record) { return Evidence(record.design, record.log); }

/// How a cell of a record stands.
inline CellState state_of(const Record& record, CellId cell) {
  return states_of(record.design, record.log)[cell];
}

/// The notes on findings as they are told: "about: text".
inline std::vector<std::string> notes_of(const Findings& findings) {
  std::vector<std::string> texts;
  for (const auto& note : findings.trust) {
    const auto [about, text] = report::worded(findings.design, note);
    texts.push_back(about + ": " + text);
  }
  return texts;
}

}  // namespace assay::test
