#include "assay/campaign/stepwise.hpp"

#include <utility>

#include "assay/campaign/policy.hpp"
#include "assay/campaign/prepared.hpp"
#include "assay/campaign/rounds.hpp"
#include "assay/model/error.hpp"
#include "assay/model/stopped.hpp"

namespace assay::inline v1::campaign {

struct Stepwise::State {
  static constexpr int most_rounds = 1'000'000;

  State(const Plan& plan, const Options& options)
      : prepared(plan, options, options.ledger), policy(fixed_rounds(most_rounds)) {
    try {
      prepared.life().check();
    } catch (const Stopped&) {
      prepared.rig().close();
      prepared.recorder().set_state(CampaignState::interrupted);
      throw;
    }
    rounds.emplace(prepared.recorder(), prepared.rig(), *policy, prepared.observer(), options.stop);
  }

  Prepared prepared;
  std::unique_ptr<Policy> policy;
  std::optional<Rounds> rounds;
  bool stopped = false;
};

Stepwise::Stepwise(const Plan& plan, const Options& options)
    : state_(std::make_unique<State>(plan, options)) {}

Stepwise::~Stepwise() {
  try {
    state_->prepared.rig().close();
    state_->prepared.recorder().set_state(state_->stopped ? CampaignState::interrupted
                                                          : CampaignState::ended);
  } catch (const Error&) {  // it stays open in the ledger, as after a kill
  }
}

std::string Stepwise::obstacle() const {
  const auto& design = record().design;
  for (const auto cell : design.cells.ids())
    if (const auto& standing = state_->prepared.recorder().states()[cell]; !standing.is_sound())
      return design.candidate_of(cell).name + ": " + standing.detail;
  return {};
}

bool Stepwise::round() {
  if (!obstacle().empty()) return false;
  const int before = state_->rounds->judged();
  while (state_->rounds->judged() == before) {
    const auto ended = state_->rounds->step();
    if (ended == Ended::stopped) {
      state_->stopped = true;
      throw Stopped{};
    }
    if (ended) return false;
  }
  return true;
}

const Record& Stepwise::record() const { return state_->prepared.record(); }

}  // namespace assay::inline v1::campaign
