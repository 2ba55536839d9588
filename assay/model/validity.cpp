#include "assay/model/validity.hpp"

#include <cmath>
#include <set>
#include <utility>

namespace assay::inline v1::inline model {
namespace {

/// Collects the first thing that is wrong.
class Looking {
 public:
  template <class Id, class T>
  void has(const Table<Id, T>& table, Id id, const char* what) {
    if (wrong_.empty() && !table.holds(id))
      wrong_ = std::string(what) + " " + std::to_string(id.value) + " is not there";
  }
  template <class Id, class T>
  void has(const Table<Id, T>& table, const std::optional<Id>& id, const char* what) {
    if (id) has(table, *id, what);
  }
  void demand(bool good, const std::string& what) {
    if (wrong_.empty() && !good) wrong_ = what;
  }
  std::string wrong() const { return wrong_; }

 private:
  std::string wrong_;
};

void look_at_design(const Design& design, Looking& looking) {
  const auto& rules = design.rules;
  looking.demand(rules.rounds_min >= 0 && rules.rounds_max >= 0 && rules.rounds_min <= 1'000'000 &&
                     rules.rounds_max <= 1'000'000,
                 "the numbers of rounds make no sense");
  looking.demand(std::isfinite(rules.margin) && rules.margin > 0, "its margin makes no sense");
  for (const auto& candidate : design.candidates) {
    looking.has(design.candidates, candidate.against, "candidate");
    looking.has(design.candidates, candidate.twin_of, "candidate");
  }
  for (const auto& build : design.builds) looking.has(design.candidates, build.candidate, "candidate");
  for (const auto& workload : design.workloads)
    looking.demand(std::isfinite(workload.weight) && workload.weight > 0, "a weight makes no sense");
  for (const auto& cell : design.cells) {
    looking.has(design.candidates, cell.candidate, "candidate");
    looking.has(design.workloads, cell.workload, "workload");
  }
  for (const auto& contrast : design.contrasts) {
    looking.has(design.cells, contrast.baseline, "cell");
    looking.has(design.cells, contrast.candidate, "cell");
  }
  for (const auto& metric : design.metrics)
    looking.demand(
        !metric.demand.margin || (std::isfinite(*metric.demand.margin) && *metric.demand.margin > 0),
        "the margin of " + metric.name + " makes no sense");
}

void look_at_log(const Design& design, const Log& log, Looking& looking) {
  for (const auto& change : log.standings) looking.has(design.cells, change.cell, "cell");
  for (const auto& doubt : log.doubts) looking.has(design.workloads, doubt.workload, "workload");
  for (const auto& round : log.rounds) {
    looking.has(log.sittings, round.sitting, "sitting");
    for (const auto cell : round.order) looking.has(design.cells, cell, "cell");
  }
  for (const auto& trial : log.trials) {
    looking.has(design.cells, trial.cell, "cell");
    looking.has(log.sittings, trial.sitting, "sitting");
    for (const auto& reading : trial.readings) {
      looking.has(design.metrics, reading.metric, "metric");
      looking.demand(std::isfinite(reading.value), "a reading is no finite number");
    }
    for (const auto& point : trial.series) looking.has(design.metrics, point.metric, "metric");
  }
  for (const auto& look : log.looks) {
    looking.has(design.cells, look.of.baseline, "cell");
    looking.has(design.cells, look.of.candidate, "cell");
    looking.has(design.metrics, look.metric, "metric");
  }
}

}  // namespace

std::string what_is_invalid(const Record& record) {
  Looking looking;
  look_at_design(record.design, looking);
  look_at_log(record.design, record.log, looking);
  return looking.wrong();
}

}  // namespace assay::inline v1::inline model
