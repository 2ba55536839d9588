#pragma once

#include <string>
#include <vector>

#include "assay/plan.hpp"

namespace CLI {
class App;
}

namespace assay::cli {

/// A plan as the command line asks for it; empty where not given.
struct PlanOptions {
  std::string file = "assay.toml", candidates, only, rounds, budget, margin, precise;
  bool abreast = false;
};

void add_plan_options(CLI::App& command, PlanOptions& asked);

/// The plan, with what the options put in place of its own. Throws Error.
Plan read_plan(const PlanOptions& asked);

/// A plan by which commits are built and run: its first candidate is one of a commit, as the plan has one,
/// else what its [build] makes of HEAD. Throws Error.
Plan read_plan_of_commits(const std::string& file);

/// The options as they would be typed, the file with them.
std::vector<std::string> options_of(const PlanOptions& asked);

}  // namespace assay::cli
