#pragma once

#include <string>

#include "assay/model/campaign.hpp"

namespace assay::render {

/// A campaign's judged values, a row each: `candidate,workload,FACTORS…,metric,value,round,unit,prefer` (RFC
/// 4180). The trials that ended ok, in whole rounds, of sound cells; without twins and what is told of the
/// machine.
std::string to_csv(const Record& record);

/// Everything that judging a campaign starts from, which reads back to the same findings. Builds, checks and
/// warm-ups are among the trials; programs' outputs and paths are not.
std::string record_to_json(const Record& record);

}  // namespace assay::render
