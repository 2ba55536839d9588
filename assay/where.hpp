#pragma once

/// Finds the functions behind a change of time, by rounds of a plan whose programs are sampled.
///
///   const auto found = assay::run_plan(plan, {}, {.fixed_rounds = 20, .sampling_period = 250e-6});
///   for (const auto& line : assay::where_block(found)) std::cout << line << "\n";

#include "assay/judge/where.hpp"
#include "assay/metrics/catalogue.hpp"
#include "assay/report/format.hpp"
#include "assay/report/where_text.hpp"
#include "assay/setup/run_plan.hpp"

namespace assay {

using judge::adopt_where;
using judge::fewest_sampled_rounds;
using judge::largest_time_change;
using metrics::is_time;
using model::TimePart;
using model::Where;
using report::contradiction_text;
using report::where_block;
using report::where_lines;
using setup::PlanOptions;
using setup::run_plan;

}  // namespace assay
