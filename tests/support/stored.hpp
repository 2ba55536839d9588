#pragma once

#include <gtest/gtest.h>

#include "assay/ledger/ledger.hpp"
#include "assay/model/log.hpp"

namespace assay::test {
using namespace model;

/// Stores a record call by call, as a campaign that is measured does.
inline CampaignId store(ledger::Ledger& ledger, const Record& record) {
  Record blank = record;
  blank.log.rounds.clear();
  blank.log.trials.clear();
  blank.log.state = CampaignState::open;
  const auto id = ledger.begin(blank);
  for (const auto& round : record.log.rounds) {
    const auto claimed = ledger.claim_round(id, round.session, [&](int) { return round; });
    EXPECT_EQ(claimed.number, round.number);
    for (const auto& trial : record.log.trials)
      if (trial.round == round.number) ledger.add_trial(id, trial);
    ledger.set_round_state(id, round.number, round.state);
  }
  ledger.set_state(id, record.log.state);
  return id;
}

}  // namespace assay::test
