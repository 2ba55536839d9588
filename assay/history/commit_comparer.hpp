#pragma once

#include <map>
#include <memory>
#include <string>
#include <vector>

#include "assay/build/repository.hpp"
#include "assay/engine/observer.hpp"
#include "assay/judge/stopping.hpp"
#include "assay/measure/machine.hpp"
#include "assay/measure/process.hpp"
#include "assay/model/log.hpp"
#include "assay/model/plan.hpp"
#include "assay/model/results.hpp"
#include "assay/model/setting.hpp"
#include "assay/setup/prepared_campaign.hpp"

namespace assay::history {

/// A campaign that was carried out.
struct Campaign {
  Findings findings;
  Record record;
};

/// Measures commits of one repository beside each other, built and run as a plan says.
class CommitComparer {
 public:
  /// `plan`: its first candidate is what each commit is built and run like. Campaigns are of this kind; with
  /// `reuse`, those of the kind that the ledger has of the same commits count, and go on. Throws
  /// Error when the plan names no commit, and as build::Repository.
  CommitComparer(const Plan& plan, CampaignKind kind, engine::RunOptions run, bool reuse = true);
  CommitComparer(const CommitComparer&) = delete;
  CommitComparer& operator=(const CommitComparer&) = delete;

  /// Takes the machine's lock until this object ends. Throws Cancelled.
  void take_turn();

  build::Repository& repository() { return repository_; }
  engine::Observer& observer() { return observer_; }
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
  engine::RunOptions run_with(engine::Observer& observer) const;
  void adopt_ways();
  setup::PlanOptions options() const;

  Plan plan_;
  CampaignKind kind_;
  engine::RunOptions run_;
  engine::Observer nobody_;
  engine::Observer& observer_;
  std::unique_ptr<engine::Observer> quiet_;  ///< says what is built, and nothing else
  measure::Launcher launcher_;
  build::Repository repository_;
  measure::MachineLock machine_lock_;
  std::string fingerprint_;
  std::vector<WayChoice> ways_;  ///< chosen by the first campaign, for all that follow
  std::map<std::string, std::string> names_;
};

}  // namespace assay::history
