#include "assay/setup/stepwise_campaign.hpp"

#include <utility>

#include "assay/engine/round_loop.hpp"
#include "assay/engine/stop_policy.hpp"
#include "assay/model/error.hpp"
#include "assay/setup/prepared_campaign.hpp"

namespace assay::setup {

struct StepwiseCampaign::State {
  static constexpr int most_rounds = 1'000'000;

  State(const Plan& plan, const RunOptions& options)
      : prepared(plan, options, options.ledger), policy(engine::fixed_rounds(most_rounds)) {
    try {
      prepared.life().check();
    } catch (const Cancelled&) {
      prepared.runner().close();
      prepared.recorder().set_state(CampaignState::interrupted);
      throw;
    }
    rounds.emplace(prepared.recorder(), prepared.runner(), *policy, prepared.observer(), options.stop);
  }

  PreparedCampaign prepared;
  std::unique_ptr<engine::StopPolicy> policy;
  std::optional<engine::RoundLoop> rounds;
  bool stopped = false;
};

StepwiseCampaign::StepwiseCampaign(const Plan& plan, const RunOptions& options)
    : state_(std::make_unique<State>(plan, options)) {}

StepwiseCampaign::~StepwiseCampaign() {
  try {
    state_->prepared.runner().close();
    state_->prepared.recorder().set_state(state_->stopped ? CampaignState::interrupted
                                                          : CampaignState::ended);
  } catch (const Error&) {  // it stays open in the ledger, as after a kill
  }
}

std::string StepwiseCampaign::blocking_reason() const {
  const auto& design = record().design;
  for (const auto cell : design.cells.ids())
    if (const auto& status = state_->prepared.recorder().statuses()[cell]; !status.is_ok())
      return design.candidate_of(cell).name + ": " + status.detail;
  return {};
}

bool StepwiseCampaign::run_round() {
  if (!blocking_reason().empty()) return false;
  const int before = state_->rounds->judged();
  while (state_->rounds->judged() == before) {
    const auto ended = state_->rounds->run_round();
    if (ended == engine::StopReason::stopped) {
      state_->stopped = true;
      throw Cancelled{};
    }
    if (ended) return false;
  }
  return true;
}

const Record& StepwiseCampaign::record() const { return state_->prepared.record(); }

}  // namespace assay::setup
