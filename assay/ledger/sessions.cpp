// The sessions of a campaign: who begins to take part in it, and how that ends.

#include <algorithm>
#include <optional>
#include <set>
#include <string>

#include "assay/ledger/ledger_state.hpp"
#include "assay/ledger/rows.hpp"
#include "assay/ledger/session_owner.hpp"
#include "assay/ledger/sql_rows.hpp"
#include "assay/model/error.hpp"

namespace assay::ledger {

using soci::into;
using soci::use;
namespace {

void end_row(soci::session& sql, CampaignId campaign, SessionId session) {
  const auto now = time_of(sql);
  sql << "UPDATE session SET token = NULL, seen = :n, ended = coalesce(ended, :e) WHERE campaign = :c AND id "
         "= :s",
      use(now), use(now), use(campaign.value), use(session.value);
}

SessionId next_session(soci::session& sql, CampaignId campaign) {
  SessionId id;
  sql << "SELECT count(*) FROM session WHERE campaign = :c", use(campaign.value), into(id.value);
  return id;
}

/// The session that this process has in a campaign already; empty: none.
std::optional<SessionId> own_session(soci::session& sql, CampaignId campaign) {
  for (const auto& owner : open_sessions(sql, campaign))
    if (owner.token == own_token(sql)) return owner.session;
  return {};
}

/// Whether this machine has another's mark, as images of containers do that share an id: then its boot belongs to its mark.
bool has_anothers_mark(soci::session& sql, CampaignId campaign, const Session& session) {
  if (!is_postgres(sql) || session.mark.empty()) return false;  // a file serves one machine
  std::set<std::int64_t> of_others;
  const soci::rowset<soci::row> alike =
      (sql.prepare
           << "SELECT s.id FROM session s JOIN machine m ON m.id = s.machine WHERE s.campaign = :c AND "
              "m.mark = :m AND s.boot <> :b",
       use(campaign.value), use(session.mark), use(session.boot));
  for (const auto& row : alike) of_others.insert(codec::read_whole(value_of(row, 0)));
  return std::ranges::any_of(open_sessions(sql, campaign), [&](const SessionOwner& owner) {
    return of_others.contains(owner.session.value) && at_work(sql, campaign, owner, session.boot);
  });
}

/// What tells this machine from the campaign's others: the same again when it comes back.
std::string mark_in(soci::session& sql, CampaignId campaign, const Session& session) {
  const auto apart = session.mark + "/" + session.boot;
  long long there = 0;
  sql << "SELECT count(*) FROM session s JOIN machine m ON m.id = s.machine WHERE s.campaign = :c AND m.mark "
         "= "
         ":m",
      use(campaign.value), use(apart), into(there);
  return there > 0 || has_anothers_mark(sql, campaign, session) ? apart : session.mark;
}

/// While nobody measured it no time passed for a campaign.
void leave_pause_out(soci::session& sql, CampaignId campaign) {
  const auto now = time_of(sql);
  sql << "UPDATE campaign SET opened = opened + :n - (SELECT coalesce(max(coalesce(closed, heard, claimed)), "
         "opened) FROM round WHERE campaign = :c) WHERE id = :d AND opened IS NOT NULL",
      use(now), use(campaign.value), use(campaign.value);
}

}  // namespace

void Ledger::add_session(CampaignId campaign, const Session& session) {
  auto& sql = state_->sql();
  state_->write([&] {
    if (state_->is_repeated() && own_session(sql, campaign)) return;
    lock_campaign(sql, campaign);
    refuse_measured(sql, campaign, session.boot);
    const auto id = next_session(sql, campaign);
    for (const auto& owner : open_sessions(sql, campaign)) end_row(sql, campaign, owner.session);
    leave_pause_out(sql, campaign);
    abort_rounds(sql, campaign);
    put_session(sql, campaign, id, session, own_token(sql));
    sql << "UPDATE campaign SET state = 'open' WHERE id = :c", use(campaign.value);
    // With another budget or other rounds it may be worth going on with what was given up.
    sql << "UPDATE comparison SET decided = NULL WHERE campaign = :c", use(campaign.value);
    state_->be_present(campaign, id);
  });
}

SessionId Ledger::join(CampaignId campaign, const Session& session) {
  auto& sql = state_->sql();
  return state_->write([&] {
    if (state_->is_repeated())
      if (const auto own = own_session(sql, campaign)) return *own;
    const auto state = lock_campaign(sql, campaign);
    std::string uid, closing;
    sql << "SELECT uid, closing FROM campaign WHERE id = :c", use(campaign.value), into(uid), into(closing);
    if (state == CampaignState::ended || !closing.empty())
      throw Error(
          "campaign " + short_uid(uid) + (state == CampaignState::ended ? " has ended" : " was closed"),
          "join", "assay verdict " + short_uid(uid) + " shows it");
    bool is_measured = false;
    for (const auto& owner : open_sessions(sql, campaign)) {
      if (!at_work(sql, campaign, owner, session.boot)) continue;
      is_measured = true;
      if (!is_postgres(sql) && owner.boot != session.boot)
        throw Error("campaign " + short_uid(uid) + " is measured on another machine, and a file serves one",
                    "join", "several machines need a database: docs/team.md", Error::Code::in_use);
    }
    if (!is_measured) {
      for (const auto& owner : open_sessions(sql, campaign)) end_row(sql, campaign, owner.session);
      leave_pause_out(sql, campaign);
      abort_rounds(sql, campaign);
    }
    const auto id = next_session(sql, campaign);
    auto own = session;
    own.mark = mark_in(sql, campaign, session);
    put_session(sql, campaign, id, own, own_token(sql));
    sql << "UPDATE campaign SET state = 'open' WHERE id = :c", use(campaign.value);
    state_->be_present(campaign, id);
    return id;
  });
}

void Ledger::end_session(CampaignId campaign, SessionId session, CampaignState state) {
  auto& sql = state_->sql();
  state_->write([&] {
    const auto before = lock_campaign(sql, campaign);
    end_row(sql, campaign, session);
    abort_rounds(sql, campaign, state == CampaignState::ended ? std::nullopt : std::optional(session));
    if (state == CampaignState::open || before == CampaignState::ended) return;
    const auto others = open_sessions(sql, campaign);
    const bool goes_on = std::ranges::any_of(others, [&](const SessionOwner& owner) {
      return owner.session != session && at_work(sql, campaign, owner, boot_id());
    });
    if (state == CampaignState::interrupted && goes_on) return;
    const auto word = to_string(state);
    sql << "UPDATE campaign SET state = :s WHERE id = :c", use(word), use(campaign.value);
  });
  state_->be_gone();
}

void Ledger::close_campaign(CampaignId campaign) {
  auto& sql = state_->sql();
  state_->write([&] {
    if (lock_campaign(sql, campaign) == CampaignState::ended) return;
    sql << "UPDATE campaign SET closing = 'closed' WHERE id = :c", use(campaign.value);
    if (measurer_of(sql, campaign, boot_id())) return;  // it ends with the rounds under way
    abort_rounds(sql, campaign);
    sql << "UPDATE campaign SET state = 'ended' WHERE id = :c", use(campaign.value);
  });
}

}  // namespace assay::ledger
