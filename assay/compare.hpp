#pragma once

/// Compares programs from code: describe a Plan, carry it out, show what was found.
///
///   assay::Plan plan{.baseline = "list", .margin = 0.01,
///     .candidates = {{.name = "list", .exe = "./list"}, {.name = "heap", .exe = "./heap"}},
///     .workloads  = {{.name = "orders", .run = {"${exe}", "net.txt"}, .check = {.match = "^total"}}}};
///   std::cout << assay::to_text(assay::run_plan(plan));

#include "assay/model/plan.hpp"
#include "assay/render/json.hpp"
#include "assay/render/text.hpp"
#include "assay/report/advice.hpp"
#include "assay/setup/run_plan.hpp"

namespace assay {

using model::Findings;
using model::Forecast;
using model::Plan;
using model::Verdict;

using setup::forecast;
using setup::run_plan;
using CarryOutOptions = setup::RunOptions;
using render::TextStyle;
using render::to_json;
using render::to_text;
using report::to_text;

}  // namespace assay
