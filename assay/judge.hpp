#pragma once

/// Judges numbers that one already has, and campaigns: alone, apart in time, and against one that measured
/// the same again.

#include "assay/judge/again.hpp"
#include "assay/judge/apart.hpp"
#include "assay/judge/findings.hpp"
#include "assay/judge/keep_only.hpp"
#include "assay/judge/paired.hpp"
#include "assay/model/names.hpp"
#include "assay/model/only.hpp"

namespace assay::inline v1 {

using judge::confirm;
using judge::held_apart;
using judge::judge_paired;
using judge::judge_record;
using judge::keep_only;
using judge::Question;
using judge::Surprise;
using judge::surprises;

}  // namespace assay::inline v1
