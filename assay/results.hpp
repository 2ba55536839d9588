#pragma once

/// What comparisons return: the record of what was measured, the findings, and ways to print, page and gate
/// them.
///
///   for (const auto& row : results.comparisons())
///     std::cout << row.candidate() << ": " << row.verdict_text() << ' ' << row.change() << '\n';

#include "assay/model/enum_names.hpp"
#include "assay/render/results.hpp"

namespace assay {

using model::CampaignState;
using model::Finding;
using model::Findings;
using model::Gate;
using model::GateResult;
using model::GateStatus;
using model::Metric;
using model::Record;
using model::Setting;
using model::Verdict;
using render::Change;
using render::ComparisonRow;
using render::Results;
using render::TextStyle;

}  // namespace assay
