#include "assay/cli/comparing.hpp"

#include <iostream>

#include "assay/campaign/carry_out.hpp"
#include "assay/cli/command.hpp"
#include "assay/front/progress.hpp"
#include "assay/front/stopping.hpp"
#include "assay/model/error.hpp"

namespace assay::cli {

int compare(const Plan& plan, const Comparing& how) {
  front::StopOnSignals stopping;
  front::ProgressLine progress;
  campaign::Options options{.ledger = how.ledger, .kind = how.kind, .repeat = how.repeat};
  options.begun = [&](const Record& record) { progress.begin(record); };
  options.observe = [&](const campaign::Progress& p) { progress.show(p); };
  options.stop = stopping.token();
  using WhenBusy = campaign::Options::WhenBusy;
  options.when_busy = how.when_busy == "wait" ? WhenBusy::wait : WhenBusy::go_on;
  options.busy = [](WhenBusy what) {
    std::cerr << "assay: another campaign is measuring on this machine; "
              << (what == WhenBusy::wait ? "waiting for its end (--when-busy go-on measures beside it)\n"
                                         : "going on beside it\n");
  };
  const auto findings = campaign::carry_out(plan, options);
  progress.clear();
  show(findings, how.json);
  if (findings.campaign.state == CampaignState::interrupted) return exit_interrupted;
  if (findings.findings.empty()) {
    std::cerr << "assay: nothing could be compared\n";
    return exit_nothing_measured;
  }
  return exit_done;
}

}  // namespace assay::cli
