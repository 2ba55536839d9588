#pragma once

#include <functional>
#include <map>
#include <stop_token>
#include <string>
#include <utility>

#include "assay/build/builder.hpp"
#include "assay/measure/process.hpp"
#include "assay/model/plan.hpp"
#include "assay/plan/cells.hpp"

namespace assay::setup {

/// The builds of a plan's candidates: one for each choice of levels that its steps name.
class CandidateBuilds {
 public:
  /// Builds what has to be built, in the plan's order; what fails is reported by find(). `tells_known`: says
  /// also what was built before. Throws Error for sources that are not there, Cancelled on a stop request.
  CandidateBuilds(const Plan& plan, measure::Launcher& launcher,
                  const std::function<void(const std::string&)>& log, const std::stop_token& stop,
                  bool tells_known = true);

  /// The result of a candidate's build for a setting; nullptr when it is not built.
  const build::BuildResult* find(CandidateId candidate, const Setting& setting) const;

  /// `${source}` and `${out}` there.
  plan::BuildPaths paths(CandidateId candidate, const Setting& setting) const;

 private:
  std::map<std::string, build::BuildResult> builds_;                   ///< by order
  std::map<std::pair<CandidateId, std::string>, std::string> orders_;  ///< by candidate and setting
};

}  // namespace assay::setup
