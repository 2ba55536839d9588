#pragma once

#include <optional>
#include <string>
#include <vector>

#include "assay/model/effect.hpp"
#include "assay/model/finding.hpp"
#include "assay/model/note.hpp"

namespace assay::model {

enum class GateStatus { passed, failed, undecided };

/// One thing that a gate asks for, and how it came out. Worded by report/.
struct GateReason {
  enum class Kind {
    wrong,          ///< a cell's answer; `said`: how
    failed,         ///< a cell; `said`: how
    change,         ///< of a metric, held against what is allowed
    requirement,    ///< on a cell's own value
    no_finding,     ///< too few rounds to judge a cell
    cut_off,        ///< the campaign did not come to its end
    nothing_to_do,  ///< nothing was compared
  };
  Kind kind = Kind::change;
  GateStatus status = GateStatus::passed;
  Subject subject;
  std::optional<MetricId> metric;
  Effect effect, limit;  ///< the change seen, and the largest that is allowed
  Interval interval;
  double typical = 0;                                                           ///< of a requirement
  RequirementFinding::Status required = RequirementFinding::Status::undecided;  ///< likewise
  std::string detail;
};

struct GateResult {
  GateStatus status = GateStatus::passed;  ///< failed when anything failed, else undecided when anything is
  bool passes = true;                      ///< with what the gate makes of undecided
  std::vector<GateReason> reasons;         ///< failed first, then undecided, then passed
  bool unpaired = false;  ///< nothing ran side by side, so what changed besides the candidates counts as well
};

}  // namespace assay::model
