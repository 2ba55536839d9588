#pragma once

#include <compare>
#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "assay/model/id_table.hpp"
#include "assay/model/metric.hpp"
#include "assay/model/setting.hpp"
#include "assay/model/visible.hpp"

namespace assay::model {

/// A quantity that is varied.
struct Factor {
  enum class Role { size, threads, option };
  std::string name;
  std::vector<Level> levels;  ///< at least one, all different
  Role role = Role::option;
  bool operator==(const Factor&) const = default;
};

/// A number that names one thing of one kind within a campaign: its place, from 0, in the campaign's IdTable
/// of that kind. Ids of different kinds don't mix.
template <class Tag>
struct Id {
  std::int64_t value = 0;
  auto operator<=>(const Id&) const = default;
};

using CandidateId = Id<struct CandidateTag>;
using WorkloadId = Id<struct WorkloadTag>;
using CellId = Id<struct CellTag>;
using MetricId = Id<struct MetricTag>;
using SessionId = Id<struct SessionTag>;
using MachineId = Id<struct MachineTag>;
using CampaignId = Id<struct CampaignTag>;  ///< the ledger's own number of a campaign

/// Where a candidate's program came from, as far as it is known.
struct Provenance {
  std::string exe;         ///< path as the plan or command line gave it
  std::string exe_digest;  ///< hash of the program's bytes; empty when it could not be read
  /// Hash of what is loaded of it when it runs, without debug information; empty of scripts, and where it is not known.
  std::string loaded_digest;
  std::string identity, commit, compiler, flags;
  std::optional<std::int64_t> commit_time;  ///< seconds since 1970

  bool operator==(const Provenance&) const = default;
};

/// A build, commit, implementation or configuration being compared.
struct Candidate {
  std::string name;
  std::optional<CandidateId> baseline;  ///< the baseline it is compared with; empty for a baseline
  std::optional<CandidateId> twin_of;   ///< a second copy of that baseline
  std::vector<std::string>
      distinguishing_arguments;  ///< what it alone gets: its own arguments, `name=value` of its `with`
  Provenance from;

  bool operator==(const Candidate&) const = default;
};

/// What is measured: candidate × workload × setting.
struct Cell {
  CandidateId candidate;
  WorkloadId workload;
  Setting setting;

  bool operator==(const Cell&) const = default;
};

/// Which cell is compared with which.
struct Comparison {
  CellId baseline, candidate;
  auto operator<=>(const Comparison&) const = default;
};

/// Whether a cell takes part: `wrong` answers wrongly, `failed` does not run, `absent` does not support this.
enum class StatusCode { ok, wrong, failed, unsupported };

/// The status of a cell, with the reason when it is not ok.
struct CellStatus {
  StatusCode code = StatusCode::ok;
  std::string detail;

  bool is_ok() const { return code == StatusCode::ok; }
  bool operator==(const CellStatus&) const = default;
};

/// How many trials of each side of a comparison a round has: more than one where a trial costs little beside
/// the other side's. And how many layouts its programs take in turn: rounds of one layout share its luck and
/// are no independent values, so that their means are judged.
struct Replication {
  int baseline = 1, candidate = 1;
  int layouts = 0;  ///< 0: each program has one, or each round its own

  bool is_replicated() const { return baseline > 1 || candidate > 1; }
  /// The independent values that so many rounds give.
  int independent_values(int rounds) const { return layouts > 0 && layouts < rounds ? layouts : rounds; }
  auto operator<=>(const Replication&) const = default;
};

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
  std::string exe_digest;     ///< of the program that it yields, as its own link made it
  std::string loaded_digest;  ///< of what is loaded of that program; empty where it is not known
  int layouts = 0;            ///< that rounds take in turn; 0: that of its own link
  /// How those are made (layout_common, layout_shuffled), or why there are none; empty: none were asked for.
  std::string layout_method;
  bool operator==(const BuildInfo&) const = default;
};

/// How the programs of one workload and setting are run in a round. turns: one after the other. abreast: all
/// at once on one core, compared by CPU time. slices: at once on all their cores, but only one at a time,
/// each for some milliseconds in turn until it has ended, compared by the sum of its slices. automatic: the
/// campaign chooses for each workload, see WayChoice.
enum class Way { turns, abreast, slices, automatic };

/// By what rules a campaign is measured and judged.
struct Rules {
  double margin = 0.01;                ///< the smallest relative change that matters
  int rounds_min = 0, rounds_max = 0;  ///< judged rounds that were planned; 0: all there are, looked at once
  Way way = Way::turns;    ///< of other ways than turns some rounds are run in turns, as a control
  std::uint64_t seed = 0;  ///< of the order of trials
  /// Layouts that rounds take in turn where programs are relinked, see layout_of_round(); 0: none are.
  int layouts = 0;
  /// Measuring time that it is limited to, in milliseconds; of a contest, for each setting. Empty: no limit.
  std::optional<std::int64_t> budget_ms;
  bool operator==(const Rules&) const = default;
};

/// What made a campaign.
enum class CampaignKind {
  plan,
  duel,
  contest,
  imported,      ///< read from samples that were measured elsewhere
  confirmation,  ///< measured again what another campaign found
  search,        ///< the ends and the answers of a search for a commit
  pairs,         ///< pairs of commits, measured round by round in a search
  history,       ///< commits against the reference of a history
  step,          ///< the commits before and after a step of a history
  where,         ///< sampled, to find the functions behind what another campaign found
  combined       ///< put together from two campaigns
};

/// What a campaign is to measure. Fixed once the campaign is created.
struct Design {
  std::string uid;  ///< 16 hexadecimal digits
  std::string title;
  CampaignKind kind = CampaignKind::plan;
  std::string plan;            ///< the plan, in the plan file's own language
  std::string plan_digest;     ///< equal digests are the same plan
  std::int64_t started = 0;    ///< milliseconds since 1970
  std::string repeat_command;  ///< the command that measures this again
  std::string folder;          ///< where relative paths of the plan start
  std::string confirms_uid;    ///< uid of the campaign whose findings this one measures again
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

/// The beginning of a campaign's id, which people write and read.
inline std::string short_uid(const std::string& uid) { return uid.substr(0, 8); }

/// The layout, from 0, that programs with `layouts` of them have in a round.
inline int layout_of_round(int round, int layouts) { return layouts > 0 ? (round - 1) % layouts : 0; }

/// The layouts that a comparison's rounds take in turn; 0 where neither side is relinked, and for a twin,
/// which is the same file as its original in every round.
int layouts_of(const Design& design, const Comparison& of);

/// Every choice of a level for each factor, the first factor varying slowest. One empty setting without
/// factors.
std::vector<Setting> all_settings(const std::vector<Factor>& factors);

}  // namespace assay::model
