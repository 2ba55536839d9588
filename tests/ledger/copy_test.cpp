#include <gmock/gmock.h>
#include <gtest/gtest.h>
#include <unistd.h>

#include "assay/import_export/import_export.hpp"
#include "assay/ledger/ledger.hpp"
#include "assay/model/error.hpp"
#include "support/postgres.hpp"
#include "support/records.hpp"
#include "support/stored.hpp"

// Campaigns that are copied from one ledger to another.

namespace assay::ledger {
namespace {

using test::record_of;
using test::store;

/// Campaigns of each kind of content: sampled, with series and odd texts, reduced, one that looks into another.
void fill(Ledger& ledger) {
  auto first = record_of({{1, 2, 3, 4, 5, 6}, {1.1, 2.1, 3.1, 4.1, 5.1, 6.1}});
  first.design.candidates[CandidateId{1}].name = "a\tb\\n\n'x'";
  first.log.trials[3].series = {{MetricId{0}, 0.5, 3}, {MetricId{0}, {}, 4}};
  first.log.trials[4].detail = "line\rtwo";
  test::add_samples(first);
  first.log.trials.back().readings[0].value = 1e-310;
  const auto id = ledger.add_whole(first);
  ledger.set_label(id, "before");
  auto second = first;
  second.design.uid = "1111111111111111";
  second.design.confirms_uid = first.design.uid;
  second.design.kind = CampaignKind::confirmation;
  ledger.add_whole(second);
  auto third = record_of({{1, 2}, {3, 4}});
  third.design.uid = "2222222222222222";
  third.design.kind = CampaignKind::history;
  ledger.compact(ledger.add_whole(third), "kept values");
}

std::string everything(Ledger& ledger) {
  std::string text;
  for (const auto& campaign : ledger.list()) {
    text += campaign.uid + " " + campaign.label + " " + to_string(campaign.kind) + "\n";
    const auto kept = ledger.compacted_values(campaign.id);
    if (kept.empty()) {
      const auto record = ledger.read(campaign.id);
      text += record.design.confirms_uid + import_export::record_to_json(record);
    } else {
      text += kept;
    }
  }
  return text;
}

class CopyTest : public test::EachLedger {};

INSTANTIATE_TEST_SUITE_P(To, CopyTest, testing::Values("SQLite", "PostgreSQL"),
                         [](const auto& of) { return std::string(of.param); });

TEST_P(CopyTest, ThereAndBackNothingIsChanged) {
  Ledger here(scratch_.path("here.db")), there(place()), back(scratch_.path("back.db"));
  store(there, [] {
    auto other = record_of({{1, 2}, {1, 2}});
    other.design.uid = "3333333333333333";  // so that numbers are others there
    return other;
  }());
  fill(here);
  const auto copied = here.copy(there, {});
  EXPECT_EQ(copied.campaigns, 3U);
  EXPECT_EQ(copied.trials, 28U);
  EXPECT_EQ(copied.there_already, 0U);
  std::vector<CampaignId> ours;
  for (const auto& campaign : there.list())
    if (campaign.uid != "3333333333333333") ours.push_back(campaign.id);
  there.copy(back, ours);
  EXPECT_EQ(everything(back), everything(here));
  const auto again = here.copy(there, {});
  EXPECT_EQ(again.campaigns, 0U);
  EXPECT_EQ(again.there_already, 3U);
  EXPECT_EQ(there.list().size(), 4U);
}

TEST_P(CopyTest, WhatIsBeingMeasuredIsLeftOut) {
  Ledger here(scratch_.path("here.db")), there(place());
  fill(here);
  auto running = record_of({{1, 2}, {1, 2}});
  running.design.uid = "4444444444444444";
  const auto id = here.begin(running);
  const auto copied = here.copy(there, {});
  EXPECT_EQ(copied.campaigns, 3U);
  EXPECT_THAT(copied.being_measured, testing::ElementsAre("4444444444444444"));
  here.end_session(id, SessionId{0}, CampaignState::interrupted);
  EXPECT_EQ(here.copy(there, {}).campaigns, 1U);
}

TEST_P(CopyTest, CutOffItGoesOn) {
  Ledger here(scratch_.path("here.db")), there(place());
  fill(here);
  EXPECT_THROW(here.copy(there, {}, [](const Ledger::Copied&) { throw std::runtime_error("stop"); }),
               std::runtime_error);
  EXPECT_EQ(there.list().size(), 1U);
  const auto rest = here.copy(there, {});
  EXPECT_EQ(rest.campaigns, 2U);
  EXPECT_EQ(everything(there), everything(here));
}

}  // namespace
}  // namespace assay::ledger
