#pragma once

/// Compares programs from code.
///
///   assay::ProgramComparison comparison;
///   comparison.baseline("list", {"./list", "net.txt"}).candidate("heap", {"./heap", "net.txt"});
///   const auto results = comparison.check({.equal = "stdout"}).margin(0.02).run();
///   std::cout << results;
///   results.write_page("results.html");
///   return results.gate({.allow = 0.02}).passes ? 0 : 1;
///
/// A Plan (assay/plan.hpp) describes everything else: factors, builds, servers; run_plan() carries it out.

#include "assay/app/program_comparison.hpp"
#include "assay/report/advice.hpp"
#include "assay/results.hpp"

namespace assay {

using app::ProgramComparison;
using app::run_plan;
using engine::Observer;
using engine::RunOptions;
using engine::WhenBusy;
using model::Forecast;
using model::OutputCheck;
using model::Plan;
using report::to_text;
using setup::forecast;

}  // namespace assay
