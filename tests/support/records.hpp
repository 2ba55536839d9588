#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "assay/model/enum_names.hpp"
#include "assay/model/observations.hpp"
#include "assay/model/results.hpp"
#include "assay/report/note_text.hpp"

namespace assay::test {
using namespace model;

/// A finished campaign of one workload: candidate i's value in round r is values[i][r]; the first candidate
/// is the baseline. Round 1 is a warm-up with values of its own.
inline Record record_of(const std::vector<std::vector<double>>& values,
                        const std::string& metric = "wall time") {
  Record record;
  auto& design = record.design;
  design = {.uid = "0123456789abcdef",
            .title = "barges",
            .kind = CampaignKind::plan,
            .started = 1'700'000'000,
            .repeat_command = "assay run assay.toml",
            .rules = {.seed = 7}};
  record.log.state = CampaignState::ended;
  design.workloads = {{.name = "orders", .run = {"${exe}"}}};
  design.metrics = {{.name = metric, .unit = "s", .request = {.watched = true}}};
  record.log.sessions.add({});
  for (std::size_t i = 0; i < values.size(); ++i) {
    const auto candidate = design.candidates.add({.name = i == 0 ? "list" : "rival" + std::to_string(i)});
    const auto cell = design.cells.add({.candidate = candidate});
    if (i == 0) continue;
    design.candidates[candidate].baseline = CandidateId{0};
    design.comparisons.push_back({{0}, cell});
  }
  const auto rounds = values.front().size();
  for (std::size_t r = 0; r <= rounds; ++r) {
    Round round;
    round.number = static_cast<int>(r) + 1;
    round.state = RoundState::complete;
    round.role = r == 0 ? Role::warm_up : Role::measured;
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

/// A session of this boot, on a machine of this mark.
inline Session session_on(const std::string& mark) {
  Session session;
  session.mark = mark;
  session.boot = boot_id();
  session.facts = {{"cores", "2"}};
  return session;
}

/// A campaign of two cells that is laid down and has no round yet.
inline Record unmeasured() {
  auto record = record_of({{1, 2}, {1, 2}});
  record.log.rounds.clear();
  record.log.trials.clear();
  record.log.state = CampaignState::open;
  record.log.sessions = {session_on("this machine")};
  return record;
}

/// Gives the judged rounds of a record to so many machines in turn: the first has 2 cores, others have 8.
inline void run_on_machines(Record& record, std::size_t machines) {
  record.log.sessions = {};
  for (std::size_t i = 0; i < machines; ++i) {
    Session session;
    session.machine = MachineId{static_cast<std::int64_t>(i) + 40};
    session.facts = {{"cores", i == 0 ? "2" : "8"}};
    record.log.sessions.add(session);
  }
  for (auto& round : record.log.rounds) {
    if (round.role != Role::measured) continue;
    round.session =
        SessionId{static_cast<std::int64_t>(static_cast<std::size_t>(round.number - 2) % machines)};
    for (auto& trial : record.log.trials)
      if (trial.round == round.number) trial.session = round.session;
  }
}

/// Adds what was sampled of the first two cells in each judged round: `haul` takes what the trials took but 2 ms, which
/// `moor` takes in a library, whose code is the same in both.
inline void add_samples(Record& record) {
  auto& samples = record.log.samples;
  samples.code = {{.name = "haul(int)", .file = "/towpath/list"},
                  {.name = "moor(int)", .file = "/towpath/list"},
                  {.name = "memcpy", .file = "/usr/lib/libc.so"}};
  constexpr double period = 250e-6, of_moor = 2e-3;
  for (const auto& trial : record.log.trials) {
    if (trial.role != Role::measured || trial.cell.value > 1) continue;
    const double seconds = trial.readings.front().value;
    auto& sampled = samples.trials.emplace_back(
        SampledTrial{.cell = trial.cell, .round = *trial.round, .period = period, .cpu = seconds});
    sampled.counts = {{CodeId{0}, {}, static_cast<std::int64_t>((seconds - of_moor) / period)},
                      {CodeId{1}, CodeId{2}, static_cast<std::int64_t>(of_moor / period)}};
  }
  samples.matches = {
      {.comparison = {CellId{0}, CellId{1}}, .code = CodeId{0}, .likeness = CodeLikeness::other},
      {.comparison = {CellId{0}, CellId{1}},
       .code = CodeId{1},
       .likeness = CodeLikeness::same,
       .baseline_in_line = 0,
       .candidate_in_line = 16}};
  samples.remarks = {"a file was replaced"};
}

/// Lines as one text, each with its end.
inline std::string joined(const std::vector<std::string>& lines) {
  std::string text;
  for (const auto& line : lines) text += line + "\n";
  return text;
}

/// The first `count` of a table's things.
template <class Id, class T>
IdTable<Id, T> first_of(const IdTable<Id, T>& table, std::size_t count) {
  IdTable<Id, T> first;
  for (const auto id : table.ids())
    if (first.size() < count) first.add(table[id]);
  return first;
}

/// What judging sees of a record, which has to live as long.
inline Observations evidence_of(const Record& record) { return Observations(record.design, record.log); }

/// How a cell of a record stands.
inline CellStatus state_of(const Record& record, CellId cell) {
  return cell_statuses(record.design, record.log)[cell];
}

/// The notes on findings as they are told: "about: text".
inline std::vector<std::string> notes_of(const Findings& findings) {
  std::vector<std::string> texts;
  for (const auto& note : findings.notes) {
    const auto [about, text] = report::note_text(findings.design, note);
    texts.push_back(about + ": " + text);
  }
  return texts;
}

}  // namespace assay::test
