#pragma once

#include <map>
#include <string>
#include <vector>

#include "assay/compare.hpp"
#include "assay/gate.hpp"
#include "assay/judge.hpp"
#include "assay/plan.hpp"
#include "assay/program/asking.hpp"
#include "assay/program/progress.hpp"
#include "assay/program/stopping.hpp"

namespace assay::inline v1::cli {

/// How a comparison is asked for on the command line.
struct Comparing {
  std::string kind, ledger, repeat;
  std::string when_busy = "wait";  ///< or "go-on"
  bool json = false;
  bool resume = false;
  std::string again_of;                ///< uid of the campaign that is measured afresh
  bool goes_on_to_first_look = false;  ///< see campaign::Options
  std::string go_on;  ///< the command that takes an interrupted campaign up again; empty: there is none
  std::map<std::string, std::string> variables;  ///< see campaign::Options
  bool gated = false;  ///< holds the findings against the plan's gate, which decides the exit status
  std::string junit;   ///< a file for what the gate said; empty: none
};

/// The options of a comparison, with progress, messages and stopping.
class Watching {
 public:
  explicit Watching(const Comparing& how);
  const campaign::Options& options() const { return options_; }
  program::ProgressLine& progress() { return progress_; }

 private:
  program::StopOnSignals stopping_;
  program::ProgressLine progress_;
  campaign::Options options_;
};

/// Carries out the plan with progress and stopping, shows the findings, and returns the exit status.
int compare(const Plan& plan, const Comparing& how);

/// The exit status that goes with findings; says so when nothing could be compared, or how to go on.
int status_of(const Findings& findings, const std::string& go_on);

/// Writes a whole file. Throws Error that names `what` can't be written there.
void write_file(const std::string& path, const std::string& text, const std::string& what);

using program::parse_budget;
using program::parse_margin;
using program::parse_precision;
using program::parse_rounds;
using program::show;
using program::typed;

}  // namespace assay::inline v1::cli
