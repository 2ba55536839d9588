// What a ledger tells: its campaigns, found and read, and copied elsewhere.

#include <algorithm>
#include <utility>

#include "assay/ledger/copy.hpp"
#include "assay/ledger/ledger_state.hpp"
#include "assay/model/error.hpp"

namespace assay::ledger {

using soci::into;
using soci::use;

std::vector<CampaignSummary> Ledger::list(const CampaignFilter& which) {
  std::string condition = "1 = 1";
  std::vector<std::string> texts;
  const auto add = [&](const std::string& text, const std::string& before, const std::string& after = "") {
    texts.push_back(text);
    condition += " AND " + before + ":t" + std::to_string(texts.size()) + after;
  };
  if (!which.kinds.empty()) {
    condition += " AND c.kind IN (";
    for (const auto kind : which.kinds) {
      texts.push_back(to_string(kind));
      condition += (texts.size() > 1 ? ", :t" : ":t") + std::to_string(texts.size());
    }
    condition += ")";
  }
  if (!which.uid.empty()) add(which.uid, "c.uid = ");
  if (which.title) add(*which.title, "c.title = ");
  if (!which.label.empty()) add(which.label, "c.label = ");
  if (!which.plan_digest.empty()) add(which.plan_digest, "c.plan_digest = ");
  if (!which.commit.empty())
    add(which.commit, "c.id IN (SELECT campaign FROM candidate WHERE commit_id = ", ")");
  return state_->read([&] { return read_summaries(state_->sql(), condition, texts, which.newest); });
}

std::vector<CampaignSummary> Ledger::matching(const std::string& text) {
  auto& sql = state_->sql();
  return state_->read([&] {
    if (text == "last") {
      auto found = read_summaries(sql, "c.kind <> :a", {to_string(CampaignKind::where)}, 1);
      return found.empty() ? read_summaries(sql, "1 = 1", {}, 1) : found;
    }
    constexpr std::size_t enough = 100;
    auto found = read_summaries(sql, "c.label = :a AND c.label <> ''", {text}, 1);
    if (!found.empty() || text.empty()) return found;
    return read_summaries(sql, "c.uid >= :a AND c.uid < :b", {text, text + "g"}, enough);
  });
}

std::vector<CampaignId> Ledger::sampled_for(CampaignId campaign) {
  auto& sql = state_->sql();
  const auto kind = to_string(CampaignKind::where);
  return state_->read([&] {
    std::vector<CampaignId> found;
    const soci::rowset<std::int64_t> rows =
        (sql.prepare << "SELECT id FROM campaign WHERE confirms = :c AND kind = :k ORDER BY id DESC",
         use(campaign.value), use(kind));
    for (const auto id : rows) found.push_back(CampaignId{id});
    return found;
  });
}

std::string Ledger::plan_of(CampaignId campaign) {
  auto& sql = state_->sql();
  return state_->read([&] {
    std::string plan;
    sql << "SELECT plan FROM campaign WHERE id = :c", use(campaign.value), into(plan);
    return plan;
  });
}

std::string compacted_row(soci::session& sql, CampaignId campaign) {
  std::string values;
  soci::indicator there = soci::i_null;
  sql << "SELECT kept FROM reduced WHERE campaign = :c", use(campaign.value), into(values, there);
  return sql.got_data() ? values : std::string{};
}

std::string Ledger::compacted_values(CampaignId campaign) {
  return state_->read([&] { return compacted_row(state_->sql(), campaign); });
}

std::map<CampaignId, std::string> Ledger::history_values(const std::string& reference, int judge) {
  auto& sql = state_->sql();
  return state_->read([&] {
    std::map<CampaignId, std::string> found;
    const soci::rowset<soci::row> rows =
        (sql.prepare << "SELECT campaign, kept FROM reduced UNION ALL SELECT campaign, kept FROM"
                        " history_values WHERE judge = :j AND reference IN ('', :r)",
         use(judge), use(reference));
    for (const auto& row : rows)
      found.emplace(CampaignId{codec::read_whole(value_of(row, 0))}, codec::read_text(value_of(row, 1)));
    return found;
  });
}

Record Ledger::read(CampaignId campaign) {
  if (!compacted_values(campaign).empty())
    throw Error("the trials of this campaign were reduced to their values of a history", Error::Field::resume,
                "assay trend shows them");
  return state_->read([&] {
    auto record = read_campaign(state_->sql(), campaign);
    read_rounds_and_trials(state_->sql(), campaign, record.log);
    read_code_samples(state_->sql(), campaign, record.log.samples);
    if (const auto wrong = find_inconsistency(record); !wrong.empty()) throw codec::CorruptData(wrong);
    return record;
  });
}

Ledger::Copied Ledger::copy(Ledger& to, std::span<const CampaignId> only,
                            const std::function<void(const Copied&)>& done) {
  Copied copied;
  auto all = list();
  std::ranges::reverse(all);  // the oldest first, so that their order stays
  std::vector<std::pair<std::string, std::string>> confirming;
  for (const auto& campaign : all) {
    if (!only.empty() && std::ranges::find(only, campaign.id) == only.end()) continue;
    try {
      state_->read([&] { refuse_measured(state_->sql(), campaign.id, boot_id()); });
    } catch (const Error& error) {
      if (error.code() != Error::Code::in_use) throw;
      copied.being_measured.push_back(campaign.uid);
      continue;
    }
    if (const auto trials = copy_campaign(*state_, campaign.id, *to.state_)) {
      ++copied.campaigns;
      copied.trials += *trials;
      if (auto uid = confirmed_by(*state_, campaign.id); !uid.empty())
        confirming.emplace_back(campaign.uid, uid);
    } else {
      ++copied.there_already;
    }
    if (done) done(copied);
  }
  for (const auto& [uid, confirmed] : confirming) link_confirmed(*to.state_, uid, confirmed);
  return copied;
}

const CampaignSummary& find_campaign(const std::vector<CampaignSummary>& campaigns, const std::string& text) {
  if (campaigns.empty())
    throw Error("there is no campaign yet", "ledger", "measure something first: assay duel, or assay run",
                Error::Code::ledger_missing);
  if (text == "last") {
    const auto found = std::ranges::find_if(
        campaigns, [](const CampaignSummary& campaign) { return campaign.kind != CampaignKind::where; });
    return found == campaigns.end() ? campaigns.front() : *found;
  }
  std::vector<const CampaignSummary*> found;
  for (const auto& campaign : campaigns) {
    if (!campaign.label.empty() && campaign.label == text) return campaign;
    if (campaign.uid.starts_with(text)) found.push_back(&campaign);
  }
  if (found.size() == 1) return *found.front();
  refuse_campaign(text, found.size());
}

void refuse_campaign(const std::string& text, std::size_t found) {
  throw Error(found == 0
                  ? "there is no campaign \"" + text + "\""
                  : "\"" + text + "\" is the beginning of " + std::to_string(found) + " campaigns' ids",
              "ledger", "assay ledger lists them all; a name, or a beginning that only one has, will do",
              Error::Code::ledger_missing);
}

}  // namespace assay::ledger
