#pragma once

/// Judges numbers that one already has.

#include "assay/judge/findings.hpp"
#include "assay/judge/paired.hpp"
#include "assay/model/names.hpp"

namespace assay {

using judge::judge_paired;
using judge::judge_record;
using judge::Question;

}  // namespace assay
