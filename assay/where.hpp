#pragma once

/// Finds the functions behind a change of time, by rounds of a plan whose programs are sampled.
///
///   const auto sampled = assay::run_sampled(plan, {}, {.fixed_rounds = 20}, 250e-6);
///   for (const auto& where : sampled.where)
///     for (const auto& line : assay::where_lines(where, sampled.findings.design)) std::cout << line << "\n";

#include "assay/judge/where.hpp"
#include "assay/report/format.hpp"
#include "assay/report/where_text.hpp"
#include "assay/setup/where.hpp"

namespace assay {

using judge::fewest_sampled_rounds;
using judge::largest_time_change;
using model::TimePart;
using model::Where;
using report::contradiction_text;
using report::where_lines;
using setup::run_sampled;
using setup::SampledCampaign;

}  // namespace assay
