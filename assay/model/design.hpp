#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "assay/model/cell.hpp"
#include "assay/model/factor.hpp"
#include "assay/model/metric.hpp"
#include "assay/model/table.hpp"

namespace assay::model {

struct Workload {
  std::string name;
  std::vector<std::string> run;  ///< as the plan gives it, placeholders unexpanded
  double weight = 1;             ///< in a candidate's overall change, shared by its settings; above 0
  std::string digest;  ///< of all that defines it: equal digests are the same work. Empty: not known
  bool operator==(const Workload&) const = default;
};

/// How layouts are made: every function at one place in all candidates, or drawn for each program by itself.
inline constexpr const char *layout_common = "common", *layout_shuffled = "shuffled";

/// One build of a candidate for one setting.
struct BuildInfo {
  CandidateId candidate;
  std::string setting;  ///< the setting's text
  std::string tree;     ///< what identifies its source: a commit, or a digest of the folder
  std::vector<std::string> steps;
  std::string compiler, flags;
  std::string exe_digest;  ///< of the program that it yields, as its own link made it
  int layouts = 0;         ///< that rounds take in turn; 0: that of its own link
  /// How those are made (layout_common, layout_shuffled), or why there are none; empty: none were asked for.
  std::string layout_method;
  bool operator==(const BuildInfo&) const = default;
};

/// By what rules a campaign is measured and judged.
struct Rules {
  double margin = 0.01;                ///< the smallest relative change that matters
  int rounds_min = 0, rounds_max = 0;  ///< judged rounds that were planned; 0: all there are, looked at once
  bool abreast = false;    ///< candidates ran at once on one core; some rounds in turns, as a control
  std::uint64_t seed = 0;  ///< of the order of trials
  /// Layouts that rounds take in turn where programs are linked anew, see layout_of_round(); 0: none are.
  int layouts = 0;
  /// Measuring time that it is limited to, in milliseconds; of a contest, for each setting. Empty: no limit.
  std::optional<std::int64_t> budget_ms;
  bool operator==(const Rules&) const = default;
};

/// What a campaign sets out to measure. Fixed once it is laid down.
struct Design {
  std::string uid;  ///< 16 hexadecimal digits
  std::string title;
  std::string kind;            ///< "duel", "plan", …
  std::string plan;            ///< the plan, in the plan file's own language
  std::string plan_digest;     ///< equal digests are the same plan
  std::int64_t started = 0;    ///< milliseconds since 1970
  std::string repeat_command;  ///< the command that measures this again
  std::string folder;          ///< where relative paths of the plan start
  std::string confirms_uid;    ///< uid of the campaign whose findings this one measures afresh
  Rules rules;

  IdTable<CandidateId, Candidate> candidates;
  std::vector<BuildInfo> builds;
  IdTable<WorkloadId, Workload> workloads;
  std::vector<Factor> factors;  ///< one read back from a ledger has no levels: the cells have them
  IdTable<CellId, Cell> cells;
  std::vector<Comparison> comparisons;
  IdTable<MetricId, Metric> metrics;

  const Candidate& candidate_of(CellId cell) const { return candidates[cells[cell].candidate]; }
  const Workload& workload_of(CellId cell) const { return workloads[cells[cell].workload]; }
  bool is_twin(CellId cell) const { return candidate_of(cell).twin_of.has_value(); }
  /// A metric's margin: its own, else the campaign's.
  double margin_of(MetricId metric) const { return metrics[metric].request.margin.value_or(rules.margin); }

  bool operator==(const Design&) const = default;
};

/// The layout, from 0, that programs with `layouts` of them have in a round.
inline int layout_of_round(int round, int layouts) { return layouts > 0 ? (round - 1) % layouts : 0; }

/// The layouts that a contrast's rounds take in turn; 0 where neither side is linked anew, and for a twin,
/// which is the same file as its original in every round.
int layouts_of(const Design& design, const Comparison& of);

}  // namespace assay::model
