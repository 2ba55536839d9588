#include "assay/cli/comparing.hpp"

#include <iostream>

#include "assay/cli/command.hpp"
#include "assay/model/error.hpp"
#include "assay/render/outlook.hpp"

namespace assay::cli {

Watching::Watching(const Comparing& how)
    : options_{.ledger = how.ledger,
               .kind = how.kind,
               .repeat = how.repeat,
               .again_of = how.again_of,
               .resume = how.resume} {
  options_.say = [&](const std::string& text) { progress_.say(text); };
  options_.begun = [&](const Record& record) { progress_.begin(record); };
  options_.observe = [&](const campaign::Progress& p) { progress_.show(p); };
  if (how.kind != "duel")
    options_.forecast = [&](const Outlook& outlook, const Record& record) {
      progress_.say(render::outlook_lines(outlook, record));
    };
  options_.stop = stopping_.token();
  using WhenBusy = campaign::Options::WhenBusy;
  options_.when_busy = how.when_busy == "wait" ? WhenBusy::wait : WhenBusy::go_on;
  options_.busy = [&](WhenBusy what) {
    progress_.say(std::string("another campaign is measuring on this machine; ") +
                  (what == WhenBusy::wait ? "waiting for its end (--when-busy go-on measures beside it)"
                                          : "going on beside it"));
  };
}

int status_of(const Findings& findings, const std::string& go_on) {
  if (findings.campaign.state == CampaignState::interrupted) {
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
    if (error.kind() != Error::Kind::request || how.go_on.empty() || error.place() != how.ledger) throw;
    throw Error(error.problem(), error.place(), error.remedy() + "; then go on with " + how.go_on);
  }
}

}  // namespace assay::cli
