#include "assay/history/measuring.hpp"

#include <filesystem>
#include <utility>

#include "assay/build/builder.hpp"
#include "assay/campaign/carry_out.hpp"
#include "assay/campaign/identity.hpp"
#include "assay/campaign/turn.hpp"
#include "assay/model/error.hpp"
#include "assay/model/stopped.hpp"
#include "assay/plan/narrow.hpp"

namespace assay::inline v1::history {
namespace fs = std::filesystem;
namespace {

/// Passes on what is said, and the rest where all is asked for; keeps the record at the end.
class Relay : public campaign::Observer {
 public:
  Relay(campaign::Observer& to, bool all) : to_(to), all_(all) {}
  void said(const std::string& text) override { to_.said(text); }
  void begun(const Design& design) override {
    if (all_) to_.begun(design);
  }
  void progress(const campaign::Progress& progress) override {
    if (all_) to_.progress(progress);
  }
  void ended(const Record& record) override { record_ = record; }
  Record& record() { return record_; }

 private:
  campaign::Observer& to_;
  bool all_;
  Record record_;
};

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

Measuring::Measuring(const Plan& plan, Circumstances circumstances)
    : plan_(placed(plan)),
      circumstances_(std::move(circumstances)),
      observer_(circumstances_.observer == nullptr ? nobody_ : *circumstances_.observer),
      quiet_(std::make_unique<Relay>(observer_, false)),
      repository_(launcher_,
                  (fs::path(plan_.folder) / plan_.candidates.front().source).lexically_normal().string(),
                  build::cache_of(plan_.folder), circumstances_.stop),
      fingerprint_(campaign::sitting_here().fact("fingerprint")) {}

void Measuring::take_turn() {
  auto sitting = campaign::sitting_here();
  campaign::take_turn(turnstile_, circumstances_.when_busy, observer_, circumstances_.stop, sitting);
}

void Measuring::narrow(const Only& only) { plan::narrow(plan_, only); }

std::string Measuring::name_of(const CommitFacts& commit) const {
  const auto name = names_.find(commit.id);
  return name == names_.end() ? commit.short_id() : name->second;
}

Plan Measuring::plan_for(const std::vector<CommitFacts>& commits) const {
  auto plan = plan_;
  plan.candidates.clear();
  plan.baseline.clear();
  for (const auto& commit : commits) {
    auto candidate = plan_.candidates.front();
    candidate.name = name_of(commit);
    candidate.commit = commit.id;
    candidate.against.clear();
    plan.candidates.push_back(std::move(candidate));
  }
  return plan;
}

void Measuring::call_campaigns(const std::string& kind) { circumstances_.kind = kind; }

campaign::Options Measuring::options_with(campaign::Observer& observer) const {
  return {.ledger = circumstances_.ledger,
          .kind = circumstances_.kind,
          .repeat = circumstances_.repeat,
          .has_turn = true,
          .tells_known_builds = false,
          .observer = &observer,
          .stop = circumstances_.stop};
}

Campaign Measuring::compare(const std::vector<CommitFacts>& commits, int rounds, const judge::Sure& sure) {
  auto plan = plan_for(commits);
  if (rounds > 0) {
    plan.rounds.min = plan.rounds.max = rounds;
    plan.rounds.budget = {};
    plan.rounds.precise = {};
  }
  Relay relay(observer_, true);
  auto options = options_with(relay);
  options.resume = circumstances_.takes_up;
  options.fixed_rounds = rounds;
  options.sure = sure;
  Campaign done;
  const auto afresh = [&] {
    options.resume = false;
    done.findings = campaign::carry_out(plan, options);
  };
  try {
    done.findings = campaign::carry_out(plan, options);
    const auto& sittings = relay.record().log.sittings;
    if (!sittings.empty() && sittings.back().fact("fingerprint") != fingerprint_) afresh();
  } catch (const Error& error) {
    // The one that was cut off was built, or measured, otherwise.
    if (error.place() != "--resume") throw;
    afresh();
  }
  if (done.findings.state == CampaignState::interrupted) throw Stopped{};
  done.record = std::move(relay.record());
  return done;
}

std::unique_ptr<campaign::Stepwise> Measuring::open(const CommitFacts& before, const CommitFacts& after) {
  auto options = options_with(*quiet_);
  options.kind = pair_kind;
  return std::make_unique<campaign::Stepwise>(plan_for({before, after}), options);
}

}  // namespace assay::inline v1::history
