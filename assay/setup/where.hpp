#pragma once

#include <string>
#include <vector>

#include "assay/engine/observer.hpp"
#include "assay/model/plan.hpp"
#include "assay/model/results.hpp"
#include "assay/model/where.hpp"
#include "assay/setup/run_plan.hpp"

namespace assay::setup {

/// What a campaign of sampled rounds found.
struct SampledCampaign {
  Findings findings;
  std::vector<Where> where;  ///< of each comparison of programs that was sampled in a round or more
  /// Why nothing can be sampled here, in words; empty where it can. Then nothing was measured.
  std::string problem;
  /// What limits the answer, in words: files without symbols or replaced since, samples that were lost.
  std::vector<std::string> remarks;
};

/// Carries out a plan as run_plan() does, in options.fixed_rounds rounds whose programs are sampled once in
/// `period` seconds of their CPU time, and says which functions take more or less of it. Throws as run_plan().
SampledCampaign run_sampled(const Plan& plan, const RunOptions& run, PlanOptions options, double period);

}  // namespace assay::setup
