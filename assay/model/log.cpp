#include "assay/model/log.hpp"

#include <algorithm>
#include <cmath>
#include <fstream>
#include <map>
#include <set>
#include <utility>

namespace assay::model {

std::string Session::fact(const std::string& name) const {
  const auto found = std::ranges::find(facts, name, &MachineFact::name);
  return found == facts.end() ? std::string{} : found->value;
}

IdTable<SessionId, int> machine_numbers(const IdTable<SessionId, Session>& sessions,
                                        const std::vector<Round>& rounds) {
  std::map<MachineId, int> machines;
  const auto number_of = [&](SessionId session) {
    return machines.try_emplace(sessions[session].machine, static_cast<int>(machines.size())).first->second;
  };
  for (const auto& round : rounds)
    if (sessions.contains(round.session)) number_of(round.session);
  IdTable<SessionId, int> numbers;
  for (const auto session : sessions.ids()) numbers.add(number_of(session));
  return numbers;
}

IdTable<CellId, CellStatus> cell_statuses(const Design& design, const Log& log) {
  IdTable<CellId, CellStatus> states(design.cells.size(), CellStatus{});
  for (const auto& change : log.status_changes) states[change.cell] = change.status;
  return states;
}

Way way_of(const Design& design, const std::vector<WayChoice>& choices, CellId id) {
  if (design.rules.way != Way::automatic) return design.rules.way;
  for (const auto& choice : choices)
    if (choice.workload == design.cells[id].workload) return choice.way;
  return Way::turns;
}

std::string find_check_warning(const Log& log, WorkloadId workload) {
  std::string text;
  for (const auto& doubt : log.check_warnings)
    if (doubt.workload == workload) text = doubt.text;
  return text;
}

namespace {

/// Collects the first thing that is wrong.
class Checker {
 public:
  template <class Id, class T>
  void has(const IdTable<Id, T>& table, Id id, const char* what) {
    if (problem_.empty() && !table.contains(id))
      problem_ = std::string(what) + " " + std::to_string(id.value) + " is not there";
  }
  template <class Id, class T>
  void has(const IdTable<Id, T>& table, const std::optional<Id>& id, const char* what) {
    if (id) has(table, *id, what);
  }
  void require(bool good, const std::string& what) {
    if (problem_.empty() && !good) problem_ = what;
  }
  std::string problem() const { return problem_; }

 private:
  std::string problem_;
};

void look_at_design(const Design& design, Checker& looking) {
  const auto& rules = design.rules;
  looking.require(rules.rounds_min >= 0 && rules.rounds_max >= 0 && rules.rounds_min <= 1'000'000 &&
                      rules.rounds_max <= 1'000'000,
                  "the numbers of rounds make no sense");
  looking.require(std::isfinite(rules.margin) && rules.margin > 0, "its margin makes no sense");
  for (const auto& candidate : design.candidates) {
    looking.has(design.candidates, candidate.baseline, "candidate");
    looking.has(design.candidates, candidate.twin_of, "candidate");
  }
  for (const auto& build : design.builds) looking.has(design.candidates, build.candidate, "candidate");
  for (const auto& workload : design.workloads)
    looking.require(std::isfinite(workload.weight) && workload.weight > 0, "a weight makes no sense");
  for (const auto& cell : design.cells) {
    looking.has(design.candidates, cell.candidate, "candidate");
    looking.has(design.workloads, cell.workload, "workload");
  }
  for (const auto& comparison : design.comparisons) {
    looking.has(design.cells, comparison.baseline, "cell");
    looking.has(design.cells, comparison.candidate, "cell");
  }
  looking.require(design.uid.find_first_not_of("0123456789abcdef") == std::string::npos,
                  "the id of the campaign is not made of hexadecimal digits");
  for (const auto& metric : design.metrics)
    looking.require(
        !metric.request.margin || (std::isfinite(*metric.request.margin) && *metric.request.margin > 0),
        "the margin of " + metric.name + " makes no sense");
}

void look_at_log(const Design& design, const Log& log, Checker& looking) {
  for (const auto& change : log.status_changes) looking.has(design.cells, change.cell, "cell");
  for (const auto& doubt : log.check_warnings) looking.has(design.workloads, doubt.workload, "workload");
  for (const auto& choice : log.ways) looking.has(design.workloads, choice.workload, "workload");
  for (const auto& round : log.rounds) {
    looking.has(log.sessions, round.session, "session");
    for (const auto cell : round.order) looking.has(design.cells, cell, "cell");
  }
  for (const auto& trial : log.trials) {
    looking.has(design.cells, trial.cell, "cell");
    looking.has(log.sessions, trial.session, "session");
    for (const auto& reading : trial.readings) {
      looking.has(design.metrics, reading.metric, "metric");
      looking.require(std::isfinite(reading.value), "a reading is no finite number");
    }
    for (const auto& point : trial.series) looking.has(design.metrics, point.metric, "metric");
  }
  for (const auto& trial : log.samples.trials) {
    looking.has(design.cells, trial.cell, "cell");
    looking.require(std::isfinite(trial.period) && trial.period > 0 && std::isfinite(trial.cpu) &&
                        trial.cpu >= 0 && std::isfinite(trial.requests) && trial.requests >= 0,
                    "times of sampled code make no sense");
    for (const auto& count : trial.counts) {
      looking.has(log.samples.code, count.code, "sampled code");
      if (count.library) looking.has(log.samples.code, *count.library, "sampled code");
      looking.require(count.samples >= 0, "a number of samples makes no sense");
    }
  }
  for (const auto& match : log.samples.matches) {
    looking.has(design.cells, match.comparison.baseline, "cell");
    looking.has(design.cells, match.comparison.candidate, "cell");
    looking.has(log.samples.code, match.code, "sampled code");
  }
  for (const auto& look : log.looks) {
    looking.has(design.cells, look.comparison.baseline, "cell");
    looking.has(design.cells, look.comparison.candidate, "cell");
    looking.has(design.metrics, look.metric, "metric");
  }
}

}  // namespace

std::string find_inconsistency(const Record& record) {
  Checker looking;
  look_at_design(record.design, looking);
  look_at_log(record.design, record.log, looking);
  return looking.problem();
}

std::string boot_id() {
  std::ifstream file("/proc/sys/kernel/random/boot_id");
  std::string id;
  std::getline(file, id);
  return id;
}

}  // namespace assay::model
