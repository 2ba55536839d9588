#pragma once

#include <optional>
#include <vector>

#include "assay/engine/observer.hpp"
#include "assay/engine/recorder.hpp"
#include "assay/engine/trial_runner.hpp"
#include "assay/model/id_table.hpp"
#include "assay/model/log.hpp"
#include "assay/model/observations.hpp"

namespace assay::engine {

/// Chooses how the programs of each workload are run, where Rules::way is automatic: by what their checks and
/// a warm-up show of them, and by pilot rounds, half of them in turns and half in the way that would suit.
///
/// Where a program waits for other things than a core (ProgramTraits), the workload's programs are run in
/// turns. Where all stay at one core, abreast is tried; where some use more, or something is asked for that
/// programs sharing a core don't have, slices. A way is taken where its pilots are steadier than those in
/// turns (is_steadier()), over all workloads for which it was tried, and show no other changes. Pilots are
/// not judged, so that whatever the choice looks at, judged rounds are as if it had been made before them.
/// Where pilots would take too long and the programs wait for the core for a fifth of the time or more, abreast
/// is taken without them, with controls as often as where it was asked for.
///
/// REQUIRES: what it is given outlives it.
class WayChooser {
 public:
  /// `budget`: seconds of measuring that the campaign has, if it is known; a quarter of it is spent on pilots
  /// at most.
  WayChooser(Recorder& recorder, TrialRunner& runner, Observer& observer, std::optional<double> budget)
      : recorder_(recorder), runner_(runner), observer_(observer), budget_(budget) {}

  /// What a warm-up of these cells runs: those below 20 ms three times, so that it is known what they wait for.
  std::vector<CellId> warm_up_cells(const std::vector<CellId>& cells) const;

  /// Whether round `number` is a control besides those of the plan: where a way was taken without pilots.
  bool is_control_round(int number) const;

  /// After a warm-up, before the first judged round: records what can be chosen at once, and sees what is to
  /// be tried. `repeats`: how many trials of each cell a round is to have.
  void begin(const IdTable<CellId, int>& repeats);

  /// The next pilot round, while there are any to run.
  struct Pilot {
    bool in_turns = true;  ///< else each cell in the way that is tried for it
    std::vector<CellId> cells;
  };
  std::optional<Pilot> next() const;
  Way tried_way(CellId cell) const;
  /// Pilot rounds that have not ended.
  int pilots_to_come() const { return next() ? pilots - done_ : 0; }

  /// After a pilot round: after the last of them the rest is chosen.
  void end_round();

  /// How a cell is run in judged rounds.
  Way way_of(CellId cell) const;

  /// Rounds that pilots take in all.
  static constexpr int pilots_each = 3, pilots = 2 * pilots_each;

 private:
  struct Tried {
    WorkloadId workload;
    Way way = Way::turns;
    std::vector<CellId> cells;
    std::vector<Comparison> comparisons;
  };
  std::vector<Tried> open_workloads() const;
  void choose(WorkloadId workload, Way way, WayReason reason, double in_turns = 0, double spread = 0);
  void decide(const Observations& evidence, Way way);
  std::optional<WayReason> reason_against(const Observations& evidence, const Tried& tried) const;

  Recorder& recorder_;
  TrialRunner& runner_;
  Observer& observer_;
  std::optional<double> budget_;
  std::vector<Tried> tried_;
  int done_ = 0;
};

/// Whether a way whose pilots scatter so (standard deviations, of a typical one among so many comparisons) is
/// taken as steadier than in turns: below three quarters of it. Three rounds tell a ratio of spreads within a
/// factor of three or so, and abreast the ratio was 0.2 to 0.6 where it was measured (docs/evidence.md): so a
/// ratio of 0.4 counts as one comparison more (geometric mean).
bool is_steadier(double in_turns, double other, std::size_t comparisons);

/// Whether two ways of running show different changes: Welch's test of the means of log ratios at this level,
/// and a difference beyond `margin` (as a log ratio). Fewer than two values of either show nothing.
///
/// Source: Welch, Biometrika 34 (1947) 28: the degrees of freedom.
bool ways_disagree(const std::vector<double>& in_turns, const std::vector<double>& other, double margin,
                   double level);

}  // namespace assay::engine
