#pragma once

#include <stop_token>
#include <string>

#include "assay/campaign/loop.hpp"
#include "assay/model/campaign.hpp"
#include "assay/model/plan.hpp"

namespace assay::campaign {

/// How a plan is carried out, apart from what it says itself.
struct Options {
  /// Path of the ledger that keeps every trial. Empty: the campaign is kept in memory only.
  std::string ledger;
  std::string kind = "plan";
  /// The command that would measure this again, for those who read the findings.
  std::string repeat;
  /// What to do while another campaign measures on this machine: wait for its end, or go on beside it, which
  /// is noted in the findings.
  enum class WhenBusy { wait, go_on };
  WhenBusy when_busy = WhenBusy::go_on;
  /// Called once when another campaign is at work, with what is done about it.
  std::function<void(WhenBusy)> busy;
  /// Called with what is about to be measured, once it is known and before anything runs.
  std::function<void(const Record&)> begun;
  /// Called before each trial, never while one runs.
  Observer observe;
  /// Ends the running trial and with it the campaign; what was measured is judged, as provisional.
  std::stop_token stop;
};

/// Carries out a plan: finds the programs, checks every candidate's answer, measures in shuffled rounds, and
/// judges. Candidates that are wrong or fail are left out and named in the cells' standing; the others go on.
///
///   std::cout << to_text(carry_out(plan));
///
/// Throws Error, before anything is run, for what validate() finds, for programs and input files that are not
/// there, and for a ledger that can't be used; later, when the ledger can't take a trial (a full disk). Takes
/// as long as the plan's rounds. Not to be called from several threads with one ledger.
Findings carry_out(const Plan& plan, const Options& options = {});

}  // namespace assay::campaign
