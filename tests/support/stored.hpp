#pragma once

#include <gtest/gtest.h>

#include <limits>
#include <optional>

#include "assay/ledger/ledger.hpp"
#include "assay/model/log.hpp"

namespace assay::test {
using namespace model;

/// Claims a campaign's next round, whatever others do.
inline Round claim(ledger::Ledger& ledger, CampaignId id, SessionId session, const RoundPlan& plan = {}) {
  const auto claimed =
      ledger.claim_round({.campaign = id, .session = session}, 600,
                         [&](int, const ledger::CampaignChanges&) { return std::optional(plan); });
  return claimed.value();
}

/// Stores a record call by call, as a campaign that is measured does.
inline CampaignId store(ledger::Ledger& ledger, const Record& record) {
  Record blank = record;
  blank.log.rounds.clear();
  blank.log.trials.clear();
  blank.log.state = CampaignState::open;
  const auto id = ledger.begin(blank);
  for (const auto& round : record.log.rounds) {
    const auto claimed = claim(ledger, id, round.session, round);
    EXPECT_EQ(claimed.number, round.number);
    for (const auto& trial : record.log.trials)
      if (trial.round == round.number) ledger.add_trial(id, trial);
    ledger.set_round_state(id, round.number, round.state);
  }
  ledger.end_session(id, SessionId{0}, record.log.state);
  return id;
}

}  // namespace assay::test
