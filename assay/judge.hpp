#pragma once

/// Judges numbers that one already has, and campaigns: alone, apart in time, and against one that measured
/// the same again.

#include "assay/judge/confirmation.hpp"
#include "assay/judge/cross_campaign.hpp"
#include "assay/judge/filter.hpp"
#include "assay/judge/judge.hpp"
#include "assay/judge/paired_test.hpp"
#include "assay/model/cell_filter.hpp"
#include "assay/model/enum_names.hpp"

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
