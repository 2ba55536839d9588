#pragma once

/// Judges numbers that one already has, and campaigns: alone, at different times, and against one that
/// measured the same again.

#include "assay/judge/judge.hpp"
#include "assay/model/enum_names.hpp"
#include "assay/model/setting.hpp"

namespace assay {

using model::Findings;
using model::Observations;
using model::Record;
using model::to_string;
using model::Verdict;

using judge::combine_campaigns;
using judge::compare_confirmation;
using judge::filter_results;
using judge::find_surprises;
using judge::judge_paired;
using judge::judge_record;
using judge::PairedTestOptions;
using judge::Surprise;

}  // namespace assay
