#pragma once

#include <map>
#include <memory>
#include <set>
#include <stop_token>
#include <string>
#include <vector>

#include "assay/build/repository.hpp"
#include "assay/campaign/stepwise.hpp"
#include "assay/history/observer.hpp"
#include "assay/judge/done.hpp"
#include "assay/measure/process.hpp"
#include "assay/measure/turnstile.hpp"
#include "assay/model/findings.hpp"
#include "assay/model/log.hpp"
#include "assay/model/only.hpp"
#include "assay/model/plan.hpp"

namespace assay::inline v1::history {

/// Under what circumstances a history is measured.
struct Circumstances {
  std::string ledger;    ///< keeps every campaign; empty: none is kept
  std::string kind;      ///< of the campaigns
  std::string repeat;    ///< the command, for those who read the campaigns
  bool takes_up = true;  ///< campaigns of this kind that the ledger has of the same commits count, and go on
  campaign::WhenBusy when_busy = campaign::WhenBusy::go_on;
  Observer* observer = nullptr;  ///< must outlive the measuring
  std::stop_token stop;
};

/// The kind of campaigns that are measured pair by pair.
inline constexpr const char* pair_kind = "pairs";

/// A campaign that was carried out.
struct Campaign {
  Findings findings;
  Record record;
};

/// Measures commits of one repository beside each other, built and run as a plan says.
class Measuring {
 public:
  /// `plan`: its first candidate is what each commit is built and run like. Throws Error when it names no
  /// commit, and as build::Repository.
  Measuring(const Plan& plan, Circumstances circumstances);
  Measuring(const Measuring&) = delete;
  Measuring& operator=(const Measuring&) = delete;

  /// Takes the machine's turn until this object ends. Throws Stopped.
  void take_turn();

  build::Repository& repository() { return repository_; }
  Observer& observer() { return observer_; }
  const Plan& plan() const { return plan_; }
  /// This machine, as sittings have it.
  const std::string& fingerprint() const { return fingerprint_; }

  /// Restricts what is measured from now on, as plan::narrow().
  void narrow(const Only& only);

  /// What a commit is called in campaigns, in place of its short id.
  void give_name(const CommitFacts& commit, const std::string& name) { names_[commit.id] = name; }
  std::string name_of(const CommitFacts& commit) const;

  /// The kind of the campaigns from now on.
  void call_campaigns(const std::string& kind);

  /// A campaign of commits against the first of them, measured until it is settled as the plan has it, or
  /// for so many rounds where `rounds` is above 0, and until changes are as sure as that. Throws Stopped
  /// when it was interrupted, and Error as carry_out().
  Campaign compare(const std::vector<CommitFacts>& commits, int rounds = 0, const judge::Sure& sure = {});

  /// A campaign of two commits whose rounds the caller asks for, of pair_kind.
  std::unique_ptr<campaign::Stepwise> open(const CommitFacts& before, const CommitFacts& after);

 private:
  Plan plan_for(const std::vector<CommitFacts>& commits) const;
  campaign::Options options_with(campaign::Observer& observer) const;

  Plan plan_;
  Circumstances circumstances_;
  Observer nobody_;
  Observer& observer_;
  std::unique_ptr<campaign::Observer> quiet_;  ///< says what is built, and nothing else
  measure::Launcher launcher_;
  build::Repository repository_;
  measure::Turnstile turnstile_;
  std::string fingerprint_;
  std::map<std::string, std::string> names_;
};

}  // namespace assay::inline v1::history
