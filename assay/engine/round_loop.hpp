#pragma once

#include <functional>
#include <map>
#include <optional>
#include <set>
#include <stop_token>
#include <vector>

#include "assay/engine/observer.hpp"
#include "assay/engine/recorder.hpp"
#include "assay/engine/stop_policy.hpp"
#include "assay/engine/trial_runner.hpp"
#include "assay/engine/way_chooser.hpp"
#include "assay/model/design.hpp"
#include "assay/model/id_table.hpp"

namespace assay::engine {

/// A cell whose trials fail this many times in a row leaves the campaign as failed.
inline constexpr int failures_in_a_row = 3;

/// Seconds since some moment.
using Clock = std::function<double()>;
Clock steady_clock();

/// How many trials of each cell a round has: in rounds that look for verdicts as judge::plan_repeats() says.
IdTable<CellId, int> planned_repeats(const Recorder& recorder, const TrialRunner& runner,
                                     const StopPolicy& policy);

/// The one round loop, a round at a time. Each round runs the cells that the policy names, those that cost
/// little beside others several times (planned_repeats()), in a new random order; the first of a session is a
/// warm-up. Where the campaign chooses how programs are run, pilots follow it (WayChooser). A campaign that
/// has rounds already is gone on with: what they spent, decided and failed counts. Every trial is recorded
/// when it ends. A cell leaves when it is found wrong, or fails failures_in_a_row times, or when all its
/// comparisons are done (judge::finished_comparisons()); rounds stay paired. A stop request tears the running
/// round.
///
/// Of a campaign that others measure too (Recorder::is_shared()) their rounds count like its own: verdicts are looked for in
/// the rounds below the lowest that is still open, whoever ran them, and it is over when no round is under way anywhere.
///
/// REQUIRES: everything it is given outlives it. Throws what the runner and the recorder do.
class RoundLoop {
 public:
  /// Takes up what the recorder's rounds did.
  RoundLoop(Recorder& recorder, TrialRunner& runner, const StopPolicy& policy, Observer& observer,
            std::stop_token stop, Clock clock = steady_clock());

  /// Runs one round, or says why there is none.
  std::optional<StopReason> run_round();

  /// Runs all.
  StopReason run();

  /// Judged rounds that count so far.
  int judged() const { return judged_; }

  /// Begins no new round when two of the longest would not end within so many seconds from now.
  void set_time(double seconds) { time_is_up_ = clock_() + seconds; }

 private:
  void restore();
  void plan_repeats();
  RoundContext so_far() const;
  double spent() const { return spent_before_ + clock_() - start_; }
  struct BatchPlan {
    std::vector<CellId> cells;
    int repeat = 0;
    Way way = Way::turns;
    bool is_one_program = false;  ///< the cells are parts of it, and come from one run
  };
  std::vector<CellId> with_repeats(const std::vector<CellId>& cells) const;
  std::vector<BatchPlan> batches(const std::vector<CellId>& order,
                                 const std::function<Way(CellId)>& way_of) const;
  RoundPlan plan_round(int number, std::vector<BatchPlan>& planned) const;
  enum class Measured { whole, aborted, not_begun };
  Measured measure_round(Role& role);
  std::optional<StopReason> find_reason_to_stop();
  void catch_up();
  void recount();
  bool waits_for_choices() const;
  bool has_judged_rounds() const;
  void choose_ways();
  void take_slots();
  bool is_slow_machine() const;
  bool runs_elsewhere(CellId cell) const;
  bool wait();
  double patience() const;
  Replication repeats_of(const Comparison& of) const;
  int first_look() const;
  int rounds_with_twins() const;
  bool is_due();
  void take_look();
  void count_failure(const Trial& trial);
  void report_progress(Role role, std::size_t position, std::size_t cells, CellId next) const;

  Recorder& recorder_;
  TrialRunner& runner_;
  const StopPolicy& policy_;
  Observer& observer_;
  std::stop_token stop_;
  Clock clock_;
  double start_;
  IdTable<CellId, int> slots_;
  std::optional<WayChooser> chooser_;
  double longest_round_ = 0;  ///< seconds; after a warm-up, what one with repeats will take
  std::map<CellId, int> failures_;
  std::set<Comparison> settled_, confirming_;
  double spent_before_ = 0;  ///< in earlier sessions
  bool always_due_ = false;  ///< exact metrics are decided without looks
  int without_pair_ = 0;     ///< trials that gave none
  int begun_here_ = 0, judged_ = 0;
  int elsewhere_ = 0;                     ///< judged rounds that others have begun and that do not count yet
  int looked_ = 0, looked_at_twins_ = 0;  ///< rounds when a look was last asked for
  std::size_t trials_seen_ = 0;           ///< of the log, whose failures are counted
  std::optional<double> time_is_up_;
  std::optional<StopReason> leaves_;
  bool has_chosen_ = false, has_slots_ = false;
  int waits_ = 0;  ///< in a row
};

}  // namespace assay::engine
