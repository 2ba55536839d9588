#pragma once

#include <chrono>
#include <cstdint>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "assay/model/code_samples.hpp"
#include "assay/model/design.hpp"
#include "assay/model/id_table.hpp"
#include "assay/model/visible.hpp"

namespace assay::model {

/// What a trial is for. warm_up: in the first round of a session, not judged. pilot: before the first judged
/// round, to see how to run. measured: judged. control: in a round in turns of programs that are run another
/// way, compared with the measured ones.
enum class Role { build, check, pilot, warm_up, measured, control };

/// aborted: cut off by an interrupt or kill; its trials are kept, not judged.
enum class RoundState { open, complete, aborted };

/// What a round runs.
struct RoundPlan {
  Role role = Role::measured;
  std::vector<CellId> order;
};

/// One pass over the open cells in a fresh random order: the block that pairs trials. A cell whose trials
/// cost little beside others' may be in it several times.
struct Round : RoundPlan {
  int number = 1;  ///< from 1; the first is the warm-up
  SessionId session;
  RoundState state = RoundState::open;
};

/// over_limit: ended badly at its memory limit. discarded: it shows nothing, since the machine slept
/// meanwhile or what ran beside it could not start.
enum class Outcome {
  ok,
  wrong,
  failed,
  timed_out,
  signalled,
  over_limit,
  unsupported,
  interrupted,
  discarded
};

struct Reading {
  MetricId metric;
  double value = 0;  ///< finite; what was not measured has no reading
};

/// A value of a metric that a trial has many of.
struct Point {
  MetricId metric;
  std::optional<double> at;  ///< seconds since the trial's start
  double value = 0;
};

/// One measured run of one cell.
struct Trial {
  CellId cell;
  std::optional<int> round;  ///< number of its round; none for builds, checks and imports
  SessionId session;
  Role role = Role::measured;
  int repeat = 0;          ///< from 0: of several of its cell in one round
  int position = 0;        ///< place in its round, from 0
  int batch = 0;           ///< from 1, of those of its round that ran at once with it; 0: it ran alone
  std::int64_t calls = 1;  ///< of an in-process slice; requests of a server; 1 for a process
  Outcome outcome = Outcome::ok;
  int exit_status = 0;  ///< meaningful unless signalled
  int signal = 0;       ///< that ended it; 0 for none
  std::vector<Reading> readings;
  std::vector<Point> series;
  std::uint64_t output_bytes = 0;
  std::string output_digest;
  std::string latencies;  ///< of a server's right replies: a stats::LogHistogram's text; empty: none
  std::string detail;     ///< why it is not ok, with the tail of its stderr
  int orphans = 0;        ///< processes it left behind, which were killed
};

/// What runs at one time: one cell, or several abreast or in slices.
struct Batch {
  int round = 1;
  Role role = Role::measured;
  std::span<const CellId> cells;
  int position = 0;  ///< of the first of its cells in the round
  int number = 0;    ///< from 1 among the round's batches of several at once; 0: in turns
  Way way = Way::turns;
};

struct MachineFact {
  std::string name, value;
  bool operator==(const MachineFact&) const = default;
};

/// One stretch of work on one machine.
struct Session {
  MachineId machine;
  std::string mark;   ///< tells the machine from others of its kind; empty: unknown
  std::string label;  ///< what it is called in lists; may be empty
  std::string boot;   ///< names the machine's boot: a new one means that it was restarted
  std::vector<MachineFact> facts;

  /// The fact of this name; empty when there is none.
  std::string fact(const std::string& name) const;
  bool operator==(const Session&) const = default;
};

/// A cell came to stand otherwise than before.
struct CellStatusChange {
  CellId cell;
  CellStatus status;
  bool operator==(const CellStatusChange&) const = default;
};

/// What a workload's check leaves open, in words.
struct CheckWarning {
  WorkloadId workload;
  std::string text;
  bool operator==(const CheckWarning&) const = default;
};

/// Why the programs of a workload are run the way they are, where the campaign chooses. steadier: the way's
/// rounds scatter less than those in turns. asked: another campaign of the same programs has chosen it. busy:
/// the programs wait for the core for a fifth of the time or more, and trying both ways would take too much of
/// the budget, so abreast was taken without pilots. The others are reasons for turns. waits: a program spends
/// time on other things than a core. unlike_costs: one takes several times as long as another. writes: they
/// write files, and may meet in one. memory: they don't fit in at once. no_time: trying would take too much of
/// the budget. fails_at_once: a pilot went wrong, or a process left its program's process group, so that it
/// can't be stopped with it. disagrees: pilots of the two ways show different changes. no_gain: the other way
/// scatters no less.
enum class WayReason {
  steadier,
  asked,
  busy,
  waits,
  unlike_costs,
  writes,
  memory,
  no_time,
  fails_at_once,
  disagrees,
  no_gain
};

/// How the programs of one workload are run, chosen before the first round that is judged.
struct WayChoice {
  WorkloadId workload;
  Way way = Way::turns;
  WayReason reason = WayReason::no_gain;
  /// The standard deviation of a round's log ratio in pilot rounds in turns, and in those of the other way,
  /// the median over the comparisons; 0: there were none.
  double spread_in_turns = 0, spread = 0;
  bool operator==(const WayChoice&) const = default;
};

/// What was decided on one finding at one planned look at the data.
struct InterimLook {
  Comparison comparison;
  MetricId metric;
  int number = 1;     ///< of the look, from 1
  int rounds = 0;     ///< complete rounds judged
  double p = 1;       ///< over the looks so far, of no change
  double p_same = 1;  ///< of an effect at or beyond the margin
  std::string decision;
  bool operator==(const InterimLook&) const = default;
};

/// open: at work, or cut off without a word (kill, power). interrupted: by the user. ended: by its plan.
enum class CampaignState { open, interrupted, ended };

/// What happened in a campaign, in order. Only ever added to.
struct Log {
  CampaignState state = CampaignState::open;
  IdTable<SessionId, Session> sessions;
  std::vector<Round> rounds;
  std::vector<Trial> trials;
  std::vector<CellStatusChange> status_changes;  ///< the last one of a cell counts; without any it is ok
  std::vector<CheckWarning> check_warnings;      ///< the last one of a workload counts
  std::vector<InterimLook> looks;
  std::vector<WayChoice> ways;  ///< of campaigns that choose; one of a workload at most
  CodeSampleLog samples;        ///< of campaigns that sample their programs
};

/// How a cell is run, or was: by the design's rules, or as was chosen; in turns where nothing was chosen yet.
Way way_of(const Design& design, const std::vector<WayChoice>& choices, CellId cell);

/// The number of each session's machine, from 0 in the order of their first rounds; then those without any.
IdTable<SessionId, int> machine_numbers(const IdTable<SessionId, Session>& sessions,
                                        const std::vector<Round>& rounds);

/// How each cell stands now. Cost: linear in cells and changes.
IdTable<CellId, CellStatus> cell_statuses(const Design& design, const Log& log);

/// The doubt about a workload's check; empty when there is none.
std::string find_check_warning(const Log& log, WorkloadId workload);

/// Everything of a campaign.
struct Record {
  Design design;
  Log log;
};

/// What is wrong with a record whose parts came from a file: an id that names nothing, a number out of its
/// range. Empty when everything in it can be relied on. Who reads records from outside asks before
/// anything else does. Cost: one pass.
std::string find_inconsistency(const Record& record);

/// What distinguishes this start of the machine from every other; empty where the kernel does not say.
std::string boot_id();

/// Milliseconds since 1970, as campaigns and sessions are dated.
inline std::int64_t unix_milliseconds() {
  using namespace std::chrono;
  return duration_cast<milliseconds>(system_clock::now().time_since_epoch()).count();
}

}  // namespace assay::model
