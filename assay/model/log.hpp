#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "assay/model/cell.hpp"
#include "assay/model/design.hpp"
#include "assay/model/table.hpp"
#include "assay/model/trial.hpp"

namespace assay::model {

struct MachineFact {
  std::string name, value;
  bool operator==(const MachineFact&) const = default;
};

/// One stretch of work on one machine.
struct Session {
  MachineId machine;
  std::string boot;  ///< names the machine's boot: a new one means that it was restarted
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
  std::vector<CellStatusChange> status_changes;  ///< the last one of a cell counts; without any it is sound
  std::vector<CheckWarning> check_warnings;      ///< the last one of a workload counts
  std::vector<InterimLook> looks;
};

/// How each cell stands now. Cost: linear in cells and changes.
IdTable<CellId, CellStatus> cell_statuses(const Design& design, const Log& log);

/// The doubt about a workload's check; empty when there is none.
std::string find_check_warning(const Log& log, WorkloadId workload);

/// Everything of a campaign.
struct Record {
  Design design;
  Log log;
};

}  // namespace assay::model
