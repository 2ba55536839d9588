#include "assay/cli/comparing.hpp"

#include <fstream>
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

void write_file(const std::string& path, const std::string& text, const std::string& what) {
  std::ofstream file(path, std::ios::binary);
  file << text;
  file.close();
  if (!file)
    throw Error(what + " can't be written here", path, "look at the folder's permissions and the disk");
}

int compare(const Plan& plan, const Comparing& how) {
  Watching watching(how);
  try {
    const auto findings = campaign::carry_out(plan, watching.options());
    watching.progress().clear();
    show(findings, how.json);
    const int status = status_of(findings, how.go_on);
    if (!how.gated || status == exit_interrupted) return status;
    const auto result = judge::hold_against(findings, plan.gate);
    (how.json ? std::cerr : std::cout) << "\n" << render::to_text(result, findings.design);
    if (!how.junit.empty())
      write_file(how.junit, render::to_junit(result, findings.design), "the gate's reasons");
    return result.passes ? status : exit_gate;
  } catch (const Error& error) {
    if (error.code() != Error::Code::ledger_full || how.go_on.empty()) throw;
    throw Error(error.problem(), error.place(), error.remedy() + "; then go on with " + how.go_on,
                error.code());
  }
}

}  // namespace assay::inline v1::cli
