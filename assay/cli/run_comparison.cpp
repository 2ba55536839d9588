#include "assay/cli/run_comparison.hpp"

#include <fstream>
#include <iostream>

#include "assay/cli/command.hpp"
#include "assay/error.hpp"

namespace assay::cli {

RunContext::RunContext(const ComparisonRequest& how)
    : options_{.ledger = how.ledger,
               .kind = how.kind,
               .repeat_command = how.repeat_command,
               .confirms_uid = how.confirms_uid,
               .variables = how.variables,
               .resume = how.resume,
               .when_busy = app::when_busy_of(how.when_busy),
               .extend_to_first_look = how.extend_to_first_look,
               .report_forecast = how.kind != CampaignKind::duel,
               .observer = &progress_,
               .stop = stopping_.token()} {}

int status_of(const Findings& findings, const std::string& go_on) {
  if (findings.state == CampaignState::interrupted) {
    if (!go_on.empty()) std::cerr << "assay: kept; to go on: " << go_on << "\n";
    return app::exit_interrupted;
  }
  if (!findings.findings.empty()) return app::exit_done;
  std::cerr << "assay: nothing could be compared\n";
  return app::exit_nothing_measured;
}

void write_file(const std::string& path, const std::string& text, const std::string& what) {
  std::ofstream file(path, std::ios::binary);
  file << text;
  file.close();
  if (!file)
    throw Error(what + " can't be written here", path, "look at the folder's permissions and the disk");
}

int compare(const Plan& plan, const ComparisonRequest& how) {
  RunContext watching(how);
  try {
    const auto findings = setup::run_plan(plan, watching.options());
    watching.progress().clear();
    app::print_results(findings, how.json);
    const int status = status_of(findings, how.resume_command);
    if (!how.applies_gate || status == app::exit_interrupted) return status;
    const auto result = judge::evaluate_gate(findings, plan.gate);
    (how.json ? std::cerr : std::cout) << "\n" << render::to_text(result, findings.design);
    if (!how.junit.empty())
      write_file(how.junit, render::to_junit(result, findings.design), "the gate's reasons");
    return result.passes ? status : exit_gate;
  } catch (const Error& error) {
    if (error.code() != Error::Code::ledger_full || how.resume_command.empty()) throw;
    throw Error(error.problem(), error.place(), error.remedy() + "; then go on with " + how.resume_command,
                error.code());
  }
}

}  // namespace assay::cli
