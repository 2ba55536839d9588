#pragma once

#include <cstddef>
#include <map>
#include <optional>
#include <set>
#include <string>
#include <utility>
#include <vector>

#include "assay/model/design.hpp"
#include "assay/model/log.hpp"

namespace assay::model {

/// Values of one metric, in columns of one length, in the order in which they were measured.
struct ValueColumn {
  std::vector<CellId> cell;
  std::vector<int> round;     ///< 0 where there is none
  std::vector<int> repeat;    ///< from 0: of several of a cell in one round
  std::vector<int> position;  ///< in its round, from 0; −1 where several ran at once
  std::vector<double> value;

  std::size_t size() const { return value.size(); }
  void add(CellId of_cell, int in_round, int its_repeat, int its_position, double its_value) {
    cell.push_back(of_cell);
    round.push_back(in_round);
    repeat.push_back(its_repeat);
    position.push_back(its_position);
    value.push_back(its_value);
  }
};

/// A cell's values of a metric, each with its round (0: none), in the order of the rounds; several of one
/// round in the order in which they ran.
using RoundValues = std::vector<std::pair<int, double>>;
using ValuesByCell = std::map<CellId, RoundValues>;

/// The values alone.
std::vector<double> values_of(const RoundValues& rounds);

/// A column's values by cell. Cost: linear; a sort where rounds are not in their order.
ValuesByCell group_by_cell(const ValueColumn& values);

/// What a cell's trials show besides values.
struct CellObservations {
  std::size_t trials = 0, failed = 0;                ///< in judged rounds; without those that were discarded
  std::vector<int> timed_out;                        ///< rounds of those that failed by their time limit
  std::size_t trials_with_orphans = 0, orphans = 0;  ///< processes that were left running, of all trials
  double output_bytes = 0;                           ///< of judged trials, in all
  bool was_checked = false;
  std::string answer_digest;  ///< of its check
  std::string
      answer_difference;  ///< from the baseline's, as the check saw it; empty: none, or not looked for
};

/// The numbers of the rounds that count, ascending: complete ones below the lowest that is still open, warm-ups aside.
/// (Numbers are given out before outcomes exist; judging whichever rounds are done would favour the quick
/// ones.)
std::set<int> complete_rounds(const Log& log);

/// How many trials of each cell a round is planned to have, from the judged rounds there are; 1 where a cell
/// is in none. Cost: linear in the rounds' trials.
IdTable<CellId, int> repeats_per_cell(const Design& design, const Log& log);

/// All that judging sees of a campaign's log, made once. Trials are sorted here, by one predicate, into those
/// that are judged and those that tell something else; nothing below looks at trials again.
///
/// REQUIRES: `design` outlives it, and so does `log`, unchanged, where with_series() or
/// with_latencies() is asked for. Cost: one
/// pass over the trials. Safe to read from several threads.
class Observations {
 public:
  Observations(const Design& design, const Log& log);

  const Design& design;

  /// What a value comes from.
  enum class Source {
    /// Measured trials that ended well, in rounds that count, of cells that are ok; of those that ran into
    /// their time limit the times, all as long as the limit: left out, a candidate that hangs now and then
    /// would gain by it.
    judged,
    control,   ///< the same of rounds in turns of programs that are run another way
    pilot,     ///< the same of pilot rounds
    warm_up,   ///< the same of a session's first round
    unpaired,  ///< measured trials without rounds, as imports have them
    built,     ///< of builds
    checked,   ///< of checks
  };
  /// Empty where there are no values.
  const ValueColumn& values(MetricId metric, Source from = Source::judged) const;
  /// The same by cell.
  const ValuesByCell& by_cell(MetricId metric, Source from = Source::judged) const;

  /// A cell's judged values, or those that were measured without rounds; empty where it has none.
  const RoundValues& values_of(MetricId metric, CellId cell) const;

  /// The judged trials that have series.
  const std::vector<const Trial*>& with_series() const { return with_series_; }
  /// Judged trials of servers that have the latencies of their requests.
  const std::vector<const Trial*>& with_latencies() const { return with_latencies_; }

  const CellObservations& of(CellId cell) const { return cells_[cell]; }
  const CellStatus& status(CellId cell) const { return statuses_[cell]; }
  bool is_ok(CellId cell) const { return statuses_[cell].is_ok(); }
  bool is_ok(const Comparison& of) const { return is_ok(of.baseline) && is_ok(of.candidate); }
  const IdTable<CellId, CellStatus>& statuses() const { return statuses_; }

  /// Trials of a cell that a round is planned to have, from what rounds ran: 1 where none did.
  int repeats(CellId cell) const { return repeats_[cell]; }
  Replication replication(const Comparison& of) const;

  /// How a cell's judged trials are run.
  Way way(CellId cell) const { return ways_[cell]; }
  const std::vector<WayChoice>& way_choices() const { return way_choices_; }

  bool has_judged_rounds() const { return has_judged_rounds_; }  ///< begun, if not whole
  std::size_t rounds() const { return rounds_; }                 ///< that count and hold judged trials
  CampaignState campaign_state() const { return campaign_state_; }
  bool has_ended() const { return campaign_state_ == CampaignState::ended; }
  const std::string& check_warning(WorkloadId workload) const { return check_warnings_[workload]; }
  const IdTable<SessionId, Session>& sessions() const { return sessions_; }
  /// The session that ran each round.
  const std::map<int, SessionId>& session_of_round() const { return session_of_round_; }
  /// The number of the machine that ran a round, from 0 in the order of their first rounds; 0 of an unknown
  /// round.
  int machine_of_round(int round) const;
  /// The number of a session's machine.
  int machine_of(SessionId session) const { return machine_of_[session]; }
  /// How many rounds with judged trials each machine has, by its number.
  const std::vector<std::size_t>& rounds_by_machine() const { return rounds_by_machine_; }
  /// Whether the judged rounds are of several machines.
  bool has_several_machines() const;
  /// The machine whose level values of several are brought to: with the most judged rounds, of several the
  /// first.
  int main_machine() const;
  /// Why trials were discarded, and how many.
  const std::map<std::string, std::size_t>& discard_reasons() const { return discard_reasons_; }

 private:
  class Collector;

  CampaignState campaign_state_;
  IdTable<CellId, CellStatus> statuses_;
  IdTable<CellId, CellObservations> cells_;
  IdTable<CellId, int> repeats_;
  IdTable<CellId, Way> ways_;
  std::vector<WayChoice> way_choices_;
  IdTable<WorkloadId, std::string> check_warnings_;
  IdTable<SessionId, Session> sessions_;
  std::map<int, SessionId> session_of_round_;
  IdTable<SessionId, int> machine_of_;
  std::map<int, int> machine_of_round_;
  std::vector<std::size_t> rounds_by_machine_;
  std::map<std::pair<Source, MetricId>, ValueColumn> columns_;
  std::map<std::pair<Source, MetricId>, ValuesByCell> by_cell_;
  std::map<std::string, std::size_t> discard_reasons_;
  std::vector<const Trial*> with_series_, with_latencies_;
  std::size_t rounds_ = 0;
  bool has_judged_rounds_ = false;
};

}  // namespace assay::model
