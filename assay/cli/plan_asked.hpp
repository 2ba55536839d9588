#pragma once

#include <string>
#include <vector>

#include "assay/plan.hpp"

namespace CLI {
class App;
}

namespace assay::inline v1::cli {

/// A plan as the command line asks for it; empty where not given.
struct PlanAsked {
  std::string file = "assay.toml", candidates, only, rounds, budget, margin, precise;
  bool abreast = false;
};

void add_plan_options(CLI::App& command, PlanAsked& asked);

/// The plan, with what the options put in place of its own. Throws Error.
Plan read_plan(const PlanAsked& asked);

/// A plan by which commits are built and run: its first candidate is one of a commit, as the plan has one,
/// else what its [build] makes of HEAD. Throws Error.
Plan read_plan_of_commits(const std::string& file);

/// The options as they would be typed, the file with them.
std::vector<std::string> options_of(const PlanAsked& asked);

}  // namespace assay::inline v1::cli
