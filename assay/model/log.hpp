#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "assay/model/cell.hpp"
#include "assay/model/design.hpp"
#include "assay/model/table.hpp"
#include "assay/model/trial.hpp"

namespace assay::inline v1::inline model {

struct MachineFact {
  std::string name, value;
  bool operator==(const MachineFact&) const = default;
};

/// One stretch of work on one machine.
struct Sitting {
  MachineId machine;
  std::string boot;  ///< names the machine's boot: a new one means that it was restarted
  std::vector<MachineFact> facts;

  /// The fact of this name; empty when there is none.
  std::string fact(const std::string& name) const;
  bool operator==(const Sitting&) const = default;
};

/// A cell came to stand otherwise than before.
struct StandingChange {
  CellId cell;
  CellState state;
  bool operator==(const StandingChange&) const = default;
};

/// What a workload's check leaves open, in words.
struct Doubt {
  WorkloadId workload;
  std::string text;
  bool operator==(const Doubt&) const = default;
};

/// What was decided on one finding at one planned look at the data.
struct Look {
  Contrast of;
  MetricId metric;
  int number = 1;     ///< of the look, from 1
  int rounds = 0;     ///< complete rounds judged
  double p = 1;       ///< over the looks so far, of no change
  double p_same = 1;  ///< of an effect at or beyond the margin
  std::string decision;
  bool operator==(const Look&) const = default;
};

/// open: at work, or cut off without a word (kill, power). interrupted: by the user. ended: by its plan.
enum class CampaignState { open, interrupted, ended };

/// What happened in a campaign, in order. Only ever added to.
struct Log {
  CampaignState state = CampaignState::open;
  Table<SittingId, Sitting> sittings;
  std::vector<Round> rounds;
  std::vector<Trial> trials;
  std::vector<StandingChange> standings;  ///< the last one of a cell counts; without any it is sound
  std::vector<Doubt> doubts;              ///< the last one of a workload counts
  std::vector<Look> looks;
};

/// How each cell stands now. Cost: linear in cells and changes.
Table<CellId, CellState> states_of(const Design& design, const Log& log);

/// The doubt about a workload's check; empty when there is none.
std::string doubt_about(const Log& log, WorkloadId workload);

/// Everything of a campaign.
struct Record {
  Design design;
  Log log;
};

}  // namespace assay::inline v1::inline model
