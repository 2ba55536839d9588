#pragma once

#include <functional>
#include <optional>
#include <set>
#include <stop_token>
#include <vector>

#include "assay/campaign/recorder.hpp"
#include "assay/model/trial.hpp"

namespace assay::campaign {

/// How far a campaign has come, told before each trial.
struct Progress {
  enum class Phase { checking, measuring };
  Phase phase = Phase::checking;
  CellId cell;      ///< that runs next
  int done = 0;     ///< checks or whole judged rounds
  int planned = 0;  ///< of them, at most
  int settled = 0;  ///< findings on watched metrics that are, of `findings`
  int findings = 0;
  double spent = 0;            ///< seconds since the phase began
  std::optional<double> left;  ///< seconds, estimated; empty until a round was seen
};
using Observer = std::function<void(const Progress&)>;

/// When the rounds end.
struct Limits {
  int rounds = 60;               ///< judged ones, at most; the warm-up comes on top
  std::optional<double> budget;  ///< seconds; a round that would likely go beyond it is not begun
  bool together = false;         ///< the cells of one workload and setting are one heat
  bool pilot = false;            ///< the rounds are pilots: nothing is looked at or settled
};

/// settled: every finding was, before the rounds ran out. nothing_left: no pair of sound cells is left.
enum class Ended { rounds, budget, stopped, settled, nothing_left };

/// A cell whose trials fail this many times in a row leaves the campaign as failed.
inline constexpr int failures_in_a_row = 3;

/// The cells that are worth running: sound, and in a contrast that is not among `settled` and whose other
/// cell is sound too. Twins go along with the others, and are not run for themselves.
std::vector<CellId> open_cells(const Record& record, const std::set<Contrast>& settled = {});

/// The one round loop. Each round runs the open cells once, in an order drawn afresh; the first of a sitting
/// is a warm-up. A campaign that has rounds already is gone on with: what they spent, decided and failed
/// counts. Every trial is recorded when it ends. A cell leaves when it is found wrong, or fails
/// failures_in_a_row times, or when its findings on all watched metrics are settled and no other contrast
/// needs it; rounds stay paired. A stop request tears the running round and returns.
///
/// `run` is whatever runs trials; `record` supplies the seed and cells. Throws what `run` and the recorder
/// do.
Ended go_through_rounds(Recorder& recorder, const Limits& limits, const Runner& run, const Observer& observe,
                        const std::stop_token& stop);

}  // namespace assay::campaign
