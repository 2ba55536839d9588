#include "assay/cli/comparing.hpp"

#include <iostream>

#include "assay/cli/command.hpp"
#include "assay/error.hpp"

namespace assay::inline v1::cli {

Watching::Watching(const Comparing& how)
    : options_{.ledger = how.ledger,
               .kind = how.kind,
               .repeat = how.repeat,
               .again_of = how.again_of,
               .variables = how.variables,
               .resume = how.resume,
               .when_busy = program::when_busy_of(how.when_busy),
               .goes_on_to_first_look = how.goes_on_to_first_look,
               .forecasts = how.kind != "duel",
               .observer = &progress_,
               .stop = stopping_.token()} {}

int status_of(const Findings& findings, const std::string& go_on) {
  if (findings.state == CampaignState::interrupted) {
    if (!go_on.empty()) std::cerr << "assay: kept; to go on: " << go_on << "\n";
    return exit_interrupted;
  }
  if (!findings.findings.empty()) return exit_done;
  std::cerr << "assay: nothing could be compared\n";
  return exit_nothing_measured;
}

int compare(const Plan& plan, const Comparing& how) {
  Watching watching(how);
  try {
    const auto findings = campaign::carry_out(plan, watching.options());
    watching.progress().clear();
    show(findings, how.json);
    return status_of(findings, how.go_on);
  } catch (const Error& error) {
    if (error.code() != Error::Code::ledger_full || how.go_on.empty()) throw;
    throw Error(error.problem(), error.place(), error.remedy() + "; then go on with " + how.go_on,
                error.code());
  }
}

}  // namespace assay::inline v1::cli
