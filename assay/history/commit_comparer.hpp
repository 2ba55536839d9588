#pragma once

#include <map>
#include <memory>
#include <set>
#include <stop_token>
#include <string>
#include <vector>

#include "assay/build/repository.hpp"
#include "assay/history/observer.hpp"
#include "assay/judge/stopping.hpp"
#include "assay/measure/machine_lock.hpp"
#include "assay/measure/process.hpp"
#include "assay/model/cell_filter.hpp"
#include "assay/model/log.hpp"
#include "assay/model/plan.hpp"
#include "assay/model/results.hpp"
#include "assay/setup/stepwise_campaign.hpp"

namespace assay::history {

/// Under what circumstances a history is measured.
struct CompareOptions {
  std::string ledger;                       ///< keeps every campaign; empty: none is kept
  CampaignKind kind = CampaignKind::pairs;  ///< of the campaigns
  std::string repeat_command;               ///< the command, for those who read the campaigns
  bool reuse = true;  ///< campaigns of this kind that the ledger has of the same commits count, and go on
  engine::WhenBusy when_busy = engine::WhenBusy::proceed;
  Observer* observer = nullptr;  ///< must outlive the measuring
  std::stop_token stop;
};

/// A campaign that was carried out.
struct Campaign {
  Findings findings;
  Record record;
};

/// Measures commits of one repository beside each other, built and run as a plan says.
class CommitComparer {
 public:
  /// `plan`: its first candidate is what each commit is built and run like. Throws Error when it names no
  /// commit, and as build::Repository.
  CommitComparer(const Plan& plan, CompareOptions circumstances);
  CommitComparer(const CommitComparer&) = delete;
  CommitComparer& operator=(const CommitComparer&) = delete;

  /// Takes the machine's lock until this object ends. Throws Cancelled.
  void take_turn();

  build::Repository& repository() { return repository_; }
  Observer& observer() { return observer_; }
  const Plan& plan() const { return plan_; }
  /// This machine, as sessions have it.
  const std::string& fingerprint() const { return fingerprint_; }

  /// Restricts what is measured from now on, as plan::filter_plan().
  void narrow(const CellFilter& only);

  /// What a commit is called in campaigns, in place of its short id.
  void set_label(const CommitFacts& commit, const std::string& name) { names_[commit.id] = name; }
  std::string name_of(const CommitFacts& commit) const;

  /// The kind of the campaigns from now on.
  void set_kind(CampaignKind kind);

  /// A campaign of commits against the first of them, measured until it is decided as the plan has it, or
  /// for so many rounds where `rounds` is above 0, and until changes are as sure as that. Throws Cancelled
  /// when it was interrupted, and Error as run_plan().
  Campaign compare(const std::vector<CommitFacts>& commits, int rounds = 0,
                   const judge::CallPromise& sure = {});

  /// A campaign of two commits whose rounds the caller asks for, of the kind `pairs`.
  std::unique_ptr<setup::StepwiseCampaign> open(const CommitFacts& before, const CommitFacts& after);

 private:
  Plan plan_for(const std::vector<CommitFacts>& commits) const;
  setup::RunOptions options_with(engine::Observer& observer) const;

  Plan plan_;
  CompareOptions circumstances_;
  Observer nobody_;
  Observer& observer_;
  std::unique_ptr<engine::Observer> quiet_;  ///< says what is built, and nothing else
  measure::Launcher launcher_;
  build::Repository repository_;
  measure::MachineLock machine_lock_;
  std::string fingerprint_;
  std::map<std::string, std::string> names_;
};

}  // namespace assay::history
