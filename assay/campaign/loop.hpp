#pragma once

#include <functional>
#include <optional>
#include <stop_token>
#include <vector>

#include "assay/campaign/recorder.hpp"
#include "assay/model/trial.hpp"

namespace assay::campaign {

/// How far a campaign has come, told before each trial.
struct Progress {
  enum class Phase { checking, measuring };
  Phase phase = Phase::checking;
  CellId cell;                 ///< that runs next
  int done = 0;                ///< checks or whole judged rounds
  int planned = 0;             ///< of them, at most
  double spent = 0;            ///< seconds since the phase began
  std::optional<double> left;  ///< seconds, estimated; empty until a round was seen
};
using Observer = std::function<void(const Progress&)>;

/// When the rounds end.
struct Limits {
  int rounds = 20;               ///< judged ones; the warm-up comes on top
  std::optional<double> budget;  ///< seconds; a round that would likely go beyond it is not begun
};

enum class Ended { rounds, budget, stopped, nothing_left };

/// A cell whose trials fail this many times in a row leaves the campaign as failed.
inline constexpr int failures_in_a_row = 3;

/// The cells that are worth running: sound, and in a contrast whose other cell is sound too.
std::vector<CellId> open_cells(const Record& record);

/// The one round loop. Each round runs the open cells once, in an order drawn afresh; the first is the
/// warm-up. Every trial is recorded when it ends. A cell leaves when it is found wrong, or fails
/// failures_in_a_row times. A stop request tears the running round and returns.
///
/// `run` is whatever runs trials; `record` supplies the seed and cells. Throws what `run` and the recorder
/// do.
Ended go_through_rounds(Recorder& recorder, const Limits& limits, const Runner& run, const Observer& observe,
                        const std::stop_token& stop);

}  // namespace assay::campaign
