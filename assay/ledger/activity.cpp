// Who measures what in a ledger now.

#include <algorithm>
#include <string>

#include "assay/ledger/ledger_state.hpp"
#include "assay/ledger/rows.hpp"
#include "assay/ledger/session_owner.hpp"
#include "assay/ledger/sql_rows.hpp"

namespace assay::ledger {

using soci::into;
using soci::use;

std::set<std::string> Ledger::commits_being_measured() {
  constexpr std::size_t looked_at = 100;
  auto& sql = state_->sql();
  std::set<std::string> commits;
  for (const auto& campaign : list({.kinds = {CampaignKind::history}, .newest = looked_at})) {
    if (campaign.state != CampaignState::open) continue;
    state_->read([&] {
      const auto sessions = open_sessions(sql, campaign.id);
      if (std::ranges::none_of(sessions, [&](const SessionOwner& owner) {
            return owner.token != own_token(sql) && at_work(sql, campaign.id, owner, boot_id());
          }))
        return;
      const soci::rowset<std::string> rows =
          (sql.prepare << "SELECT commit_id FROM candidate WHERE campaign = :c AND commit_id <> ''",
           use(campaign.id.value));
      for (const auto& commit : rows) commits.insert(commit);
    });
  }
  return commits;
}

CampaignActivity Ledger::activity(CampaignId campaign) {
  auto& sql = state_->sql();
  return state_->read([&] {
    CampaignActivity all;
    std::string state, closing;
    int comparisons = 0, decided = 0;
    const std::string not_twins =
        "(SELECT count(*) FROM comparison o JOIN cell l ON l.campaign = o.campaign AND l.id = o.candidate "
        "JOIN candidate d ON d.campaign = o.campaign AND d.id = l.candidate WHERE o.campaign = campaign.id "
        "AND d.twin_of IS NULL";
    sql << "SELECT state, closing, rounds_max, " + not_twins + "), " + not_twins +
               " AND o.decided IS NOT NULL) FROM campaign WHERE id = :c",
        use(campaign.value), into(state), into(closing), into(all.rounds_max), into(comparisons),
        into(decided);
    codec::from_value(codec::Value{state}, all.state);
    all.is_closing = !closing.empty();
    all.comparisons = static_cast<std::size_t>(comparisons);
    all.decided = static_cast<std::size_t>(decided);
    all.rounds = read_rounds(sql, campaign, 0);
    all.sessions = read_sessions(sql, campaign);
    const auto now = time_of(sql);
    const soci::rowset<soci::row> rows =
        (sql.prepare << "SELECT seen FROM session WHERE campaign = :c ORDER BY id", use(campaign.value));
    for (const auto& row : rows)
      all.seen.add({.seconds_ago = static_cast<double>(now - codec::read_whole(value_of(row, 0))) / 1000});
    const soci::rowset<soci::row> heard =
        (sql.prepare << "SELECT session, claimed, heard FROM round WHERE campaign = :c", use(campaign.value));
    for (const auto& row : heard) {
      SessionId session;
      codec::from_value(value_of(row, 0), session);
      const auto last = std::max(codec::read_whole(value_of(row, 1)), codec::read_whole(value_of(row, 2)));
      auto& seen = all.seen[session];
      seen.seconds_ago = std::min(seen.seconds_ago, static_cast<double>(now - last) / 1000);
    }
    for (const auto& owner : open_sessions(sql, campaign))
      all.seen[owner.session].at_work = at_work(sql, campaign, owner, boot_id()).has_value();
    return all;
  });
}

}  // namespace assay::ledger
