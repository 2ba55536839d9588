#include "assay/history/commit_comparer.hpp"

#include <filesystem>
#include <utility>

#include "assay/build/builder.hpp"
#include "assay/engine/open_campaign.hpp"
#include "assay/ledger/ledger.hpp"
#include "assay/model/error.hpp"
#include "assay/plan/cells.hpp"
#include "assay/setup/run_plan.hpp"

namespace assay::history {
namespace fs = std::filesystem;
namespace {

Plan placed(Plan plan) {
  plan.folder = fs::absolute(plan.folder.empty() ? "." : plan.folder).lexically_normal().string();
  plan.rounds.twin = false;
  plan.seed = {};
  if (plan.candidates.empty() || plan.candidates.front().commit.empty())
    throw Error("the plan does not say how a commit is built", {},
                "give it a [build] with steps and exe, see docs/plan-file.md");
  return plan;
}

}  // namespace

CommitComparer::CommitComparer(const Plan& plan, CampaignKind kind, engine::RunOptions run, bool reuse)
    : plan_(placed(plan)),
      kind_(kind),
      run_(std::move(run)),
      observer_(run_.observer == nullptr ? nobody_ : *run_.observer),
      quiet_(std::make_unique<engine::RecordKeeper>(&observer_, engine::RecordKeeper::Forward::messages)),
      repository_(launcher_,
                  (fs::path(plan_.folder) / plan_.candidates.front().source).lexically_normal().string(),
                  build::cache_of(plan_.folder), run_.stop),
      fingerprint_(engine::current_session().fact("fingerprint")) {
  run_.resume = reuse;
  adopt_ways();
}

/// Takes over how the newest campaign of this kind and title was run, so that a history is of one way.
void CommitComparer::adopt_ways() {
  if (!run_.resume || run_.ledger.empty() || !ledger::Place::of(run_.ledger).is_there()) return;
  ledger::Ledger ledger(run_.ledger, ledger::Ledger::OpenMode::existing);
  for (const auto& summary : ledger.list({.kinds = {kind_}, .title = plan_.title})) {
    if (summary.state != CampaignState::ended || !ledger.compacted_values(summary.id).empty()) continue;
    const auto record = ledger.read(summary.id);
    ways_ = record.log.ways;
    if (record.design.rules.way != Way::automatic)
      for (const auto workload : record.design.workloads.ids())
        ways_.push_back({.workload = workload, .way = record.design.rules.way, .reason = WayReason::asked});
    return;
  }
}

void CommitComparer::take_turn() {
  auto session = engine::current_session();
  machine_lock_ = engine::acquire_machine(run_, session);
}

void CommitComparer::narrow(const CellFilter& only) { plan::filter_plan(plan_, only); }

std::string CommitComparer::name_of(const CommitFacts& commit) const {
  const auto name = names_.find(commit.id);
  return name == names_.end() ? commit.short_id() : name->second;
}

Plan CommitComparer::plan_for(const std::vector<CommitFacts>& commits) const {
  auto plan = plan_;
  plan.candidates.clear();
  plan.baseline.clear();
  for (const auto& commit : commits) {
    auto candidate = plan_.candidates.front();
    candidate.name = name_of(commit);
    candidate.commit = commit.id;
    candidate.baseline.clear();
    plan.candidates.push_back(std::move(candidate));
  }
  return plan;
}

void CommitComparer::set_kind(CampaignKind kind) { kind_ = kind; }

engine::RunOptions CommitComparer::run_with(engine::Observer& observer) const {
  auto run = run_;
  run.observer = &observer;
  return run;
}

setup::PlanOptions CommitComparer::options() const {
  return {.kind = kind_, .machine_lock_held = true, .ways = ways_, .report_cached_builds = false};
}

Campaign CommitComparer::compare(const std::vector<CommitFacts>& commits, int rounds,
                                 const judge::CallPromise& sure) {
  auto plan = plan_for(commits);
  if (rounds > 0) {
    plan.rounds.min = plan.rounds.max = rounds;
    plan.rounds.budget = {};
    plan.rounds.precise = {};
  }
  engine::RecordKeeper relay(&observer_);
  auto run = run_with(relay);
  auto how = options();
  how.fixed_rounds = rounds;
  how.promise = sure;
  Campaign done;
  const auto measure_again = [&] {
    run.resume = false;
    done.findings = setup::run_plan(plan, run, how);
  };
  try {
    done.findings = setup::run_plan(plan, run, how);
    const auto& sessions = relay.record().log.sessions;
    if (!sessions.empty() && sessions.back().fact("fingerprint") != fingerprint_) measure_again();
  } catch (const Error& error) {
    // The one that was cut off was built, or measured, otherwise.
    if (error.code() != Error::Code::changed) throw;
    measure_again();
  }
  if (done.findings.state == CampaignState::interrupted) throw Cancelled{};
  done.record = std::move(relay.record());
  if (ways_.empty()) ways_ = done.record.log.ways;
  return done;
}

std::unique_ptr<setup::StepwiseCampaign> CommitComparer::open(const CommitFacts& before,
                                                              const CommitFacts& after) {
  auto run = run_with(*quiet_);
  run.resume = false;
  auto how = options();
  how.kind = CampaignKind::pairs;
  return std::make_unique<setup::StepwiseCampaign>(plan_for({before, after}), run, how);
}

}  // namespace assay::history
