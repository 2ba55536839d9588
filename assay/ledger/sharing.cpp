// What several processes do in one campaign: sessions, rounds that are given out, and what each sees of the others.
// Locks are taken in one order: the campaign's row, then rounds.

#include <algorithm>
#include <set>
#include <string>
#include <utility>

#include "assay/ledger/ledger_state.hpp"
#include "assay/ledger/rows.hpp"
#include "assay/ledger/session_owner.hpp"
#include "assay/ledger/sql_rows.hpp"
#include "assay/model/error.hpp"

namespace assay::ledger {

using soci::into;
using soci::use;
namespace {

using Rows = soci::rowset<soci::row>;

/// A machine that is not heard of at two looks this far apart is gone: a restarted server, or a connection that was cut for
/// some seconds, costs no round.
constexpr std::int64_t doubt_ms = 10'000;

void end_row(soci::session& sql, CampaignId campaign, SessionId session) {
  const auto now = time_of(sql);
  sql << "UPDATE session SET token = NULL, seen = :n, ended = coalesce(ended, :e) WHERE campaign = :c AND id "
         "= :s",
      use(now), use(now), use(campaign.value), use(session.value);
}

void abort_rounds(soci::session& sql, CampaignId campaign, const std::string& which) {
  const auto now = time_of(sql);
  sql << "UPDATE round SET state = 'aborted', closed = :n WHERE campaign = :c AND state = 'open'" + which,
      use(now), use(campaign.value);
}

std::string of_session(SessionId session) { return " AND session = " + std::to_string(session.value); }

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
  const Rows alike =
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

/// A round that another session has open.
struct OpenRound {
  int number = 0;
  std::int64_t due = 0, doubted = 0;  ///< 0: not
  bool has_ended = false;             ///< its session has
  SessionOwner owner;
};

std::vector<OpenRound> open_rounds(soci::session& sql, const KnownCampaign& known) {
  std::vector<OpenRound> all;
  const Rows rows =
      (sql.prepare << std::string(
                          "SELECT r.number, r.session, r.due, r.doubted, coalesce(s.token, ''), "
                          "s.boot, s.seen FROM round r JOIN session s ON s.campaign = r.campaign AND s.id = "
                          "r.session WHERE r.campaign = :c AND r.state = 'open' AND r.session <> :s ORDER BY "
                          "r.number") +
                          (is_postgres(sql) ? " FOR UPDATE OF r SKIP LOCKED" : ""),
       use(known.campaign.value), use(known.session.value));
  for (const auto& row : rows) {
    OpenRound round;
    round.number = static_cast<int>(codec::read_whole(value_of(row, 0)));
    codec::from_value(value_of(row, 1), round.owner.session);
    round.due = codec::read_whole(value_of(row, 2));
    std::optional<std::int64_t> doubted;
    codec::from_value(value_of(row, 3), doubted);
    round.doubted = doubted.value_or(0);
    round.owner.token = codec::read_text(value_of(row, 4));
    round.owner.boot = codec::read_text(value_of(row, 5));
    round.owner.seen = codec::read_whole(value_of(row, 6));
    round.has_ended = round.owner.token.empty();
    all.push_back(std::move(round));
  }
  return all;
}

/// Aborts the open rounds of those who are gone.
void abort_lost_rounds(soci::session& sql, const KnownCampaign& known) {
  const auto campaign = known.campaign;
  for (const auto& round : open_rounds(sql, known)) {
    const auto now = time_of(sql);
    const bool is_late = round.due > 0 && now > round.due;
    const bool is_there = !round.has_ended && at_work(sql, campaign, round.owner, boot_id());
    const bool is_sure = round.has_ended || !is_postgres(sql);
    const auto set = [&](const std::string& what) {
      sql << "UPDATE round SET " + what + " WHERE campaign = :c AND number = :n AND state = 'open'",
          use(campaign.value), use(round.number);
    };
    const auto at = std::to_string(now);
    if (is_late || (!is_there && (is_sure || (round.doubted > 0 && now - round.doubted >= doubt_ms))))
      set("state = 'aborted', closed = " + at);
    else if (!is_there && round.doubted == 0)
      set("doubted = " + at);
    else if (is_there && round.doubted > 0)
      set("doubted = NULL");
  }
}

bool others_have_open_rounds(soci::session& sql, const KnownCampaign& known) {
  long long open = 0;
  sql << "SELECT count(*) FROM round WHERE campaign = :c AND state = 'open' AND session <> :s",
      use(known.campaign.value), use(known.session.value), into(open);
  return open > 0;
}

CampaignChanges read_changes(soci::session& sql, const KnownCampaign& known) {
  CampaignChanges changes;
  const auto campaign = known.campaign;
  std::string state, closing;
  long long opened = 0, sessions = 0;
  sql << "SELECT state, closing, coalesce(opened, 0), (SELECT count(*) FROM session s WHERE s.campaign = "
         "campaign.id) FROM campaign WHERE id = :c",
      use(campaign.value), into(state), into(closing), into(opened), into(sessions);
  if (!sql.got_data())
    throw Error("the campaign is no longer in the ledger", "", "see what there is: assay ledger");
  codec::from_value(codec::Value{state}, changes.state);
  changes.is_closing = !closing.empty();
  if (opened > 0) changes.seconds = static_cast<double>(time_of(sql) - opened) / 1000;
  for (const auto& owner : open_sessions(sql, campaign))
    if (owner.session != known.session && at_work(sql, campaign, owner, boot_id())) ++changes.others_at_work;
  if (static_cast<std::size_t>(sessions) != known.sessions) changes.sessions = read_sessions(sql, campaign);
  const Rows cells =
      (sql.prepare << "SELECT status, detail FROM cell WHERE campaign = :c ORDER BY id", use(campaign.value));
  for (const auto& row : cells) {
    auto& status = changes.statuses.emplace_back();
    codec::from_value(value_of(row, 0), status.code);
    codec::from_value(value_of(row, 1), status.detail);
  }
  changes.ways = read_way_choices(sql, campaign);
  const Rows decided = (sql.prepare << "SELECT baseline, candidate FROM comparison WHERE campaign = :c AND "
                                       "decided IS NOT NULL",
                        use(campaign.value));
  for (const auto& row : decided) {
    auto& of = changes.decided.emplace_back();
    codec::from_value(value_of(row, 0), of.baseline);
    codec::from_value(value_of(row, 1), of.candidate);
  }
  changes.rounds = read_rounds(sql, campaign, known.from_round);
  if (std::ranges::any_of(changes.rounds, [&](const Round& round) {
        return round.state != RoundState::open && round.session != known.session;
      }))
    changes.trials = read_trials(sql, campaign,
                                 " AND t.round >= " + std::to_string(known.from_round) +
                                     " AND t.session <> " + std::to_string(known.session.value) +
                                     " AND (SELECT o.state FROM round o WHERE o.campaign = t.campaign AND "
                                     "o.number = t.round) <> 'open'");
  return changes;
}

}  // namespace

CampaignState lock_campaign(soci::session& sql, CampaignId campaign) {
  std::string state;
  sql << std::string("SELECT state FROM campaign WHERE id = :c") + lock_of_row(sql), use(campaign.value),
      into(state);
  if (!sql.got_data())
    throw Error("the campaign is no longer in the ledger", "", "see what there is: assay ledger");
  CampaignState found{};
  codec::from_value(codec::Value{state}, found);
  return found;
}

void Ledger::State::prolong(CampaignId campaign, int round) {
  if (patience == 0) return;
  const auto now = time_of(sql()), due = now + patience;
  sql() << "UPDATE round SET heard = :h, due = :d, doubted = NULL WHERE campaign = :c AND number = :n AND "
           "state = 'open'",
      use(now), use(due), use(campaign.value), use(round);
}

void Ledger::add_session(CampaignId campaign, const Session& session) {
  auto& sql = state_->sql();
  state_->write([&] {
    if (state_->is_repeated() && own_session(sql, campaign)) return;
    lock_campaign(sql, campaign);
    refuse_measured(sql, campaign, session.boot);
    const auto id = next_session(sql, campaign);
    for (const auto& owner : open_sessions(sql, campaign)) end_row(sql, campaign, owner.session);
    leave_pause_out(sql, campaign);
    abort_rounds(sql, campaign, "");
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
      abort_rounds(sql, campaign, "");
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

CampaignChanges Ledger::changes(const KnownCampaign& known) {
  auto& sql = state_->sql();
  if (state_->read([&] { return others_have_open_rounds(sql, known); }))
    state_->write([&] { abort_lost_rounds(sql, known); });
  return state_->read([&] { return read_changes(sql, known); });
}

std::optional<Round> Ledger::claim_round(
    const KnownCampaign& known, double seconds,
    const std::function<std::optional<RoundPlan>(int number, const CampaignChanges&)>& plan_of) {
  auto& sql = state_->sql();
  const auto campaign = known.campaign;
  state_->patience = static_cast<std::int64_t>(seconds * 1000);
  return state_->write([&]() -> std::optional<Round> {
    const auto state = lock_campaign(sql, campaign);
    int stored = 0;
    sql << "SELECT max(version) FROM ledger_version", into(stored);
    if (stored > version)
      throw Error("this ledger was brought to a newer version meanwhile", state_->place().shown(),
                  "go on with the newer Assay", Error::Code::ledger_newer);
    Round round{.session = known.session};
    sql << "SELECT number FROM round WHERE campaign = :c AND session = :s AND state = 'open'",
        use(campaign.value), use(known.session.value), into(round.number);
    const bool is_claimed = sql.got_data();  // before the connection was lost
    if (!is_claimed)
      sql << "SELECT next_round FROM campaign WHERE id = :c", use(campaign.value), into(round.number);
    const auto changes = read_changes(sql, known);
    const auto plan = plan_of(round.number, changes);
    if (!plan || state == CampaignState::ended || changes.is_closing) {
      if (is_claimed) abort_rounds(sql, campaign, of_session(known.session));
      return {};
    }
    static_cast<RoundPlan&>(round) = *plan;
    if (is_claimed) return round;
    const auto now = time_of(sql), due = now + state_->patience;
    RoundRows(sql).put(campaign, round, now);
    sql << "UPDATE round SET due = :d, heard = :h WHERE campaign = :c AND number = :n", use(due), use(now),
        use(campaign.value), use(round.number);
    sql << "UPDATE campaign SET next_round = next_round + 1, opened = coalesce(opened, :o) WHERE id = :c",
        use(now), use(campaign.value);
    sql << "UPDATE session SET seen = :n WHERE campaign = :c AND id = :s", use(now), use(campaign.value),
        use(known.session.value);
    return round;
  });
}

bool Ledger::set_round_state(CampaignId campaign, int number, RoundState state) {
  auto& sql = state_->sql();
  const auto word = to_string(state);
  return state_->write([&] {
    const auto now = time_of(sql);
    sql << "UPDATE round SET state = :s, closed = :n WHERE campaign = :c AND number = :k AND state = 'open'",
        use(word), use(now), use(campaign.value), use(number);
    std::string found;
    sql << "SELECT state FROM round WHERE campaign = :c AND number = :k", use(campaign.value), use(number),
        into(found);
    return found == word;
  });
}

void Ledger::set_decided(CampaignId campaign, std::span<const Comparison> decided) {
  auto& sql = state_->sql();
  state_->write([&] {
    for (const auto& of : decided)
      sql << "UPDATE comparison SET decided = coalesce(decided, (SELECT next_round - 1 FROM campaign WHERE "
             "id "
             "= :i)) WHERE campaign = :c AND baseline = :b AND candidate = :d",
          use(campaign.value), use(campaign.value), use(of.baseline.value), use(of.candidate.value);
  });
}

void Ledger::end_session(CampaignId campaign, SessionId session, CampaignState state) {
  auto& sql = state_->sql();
  state_->write([&] {
    const auto before = lock_campaign(sql, campaign);
    end_row(sql, campaign, session);
    abort_rounds(sql, campaign, state == CampaignState::ended ? "" : of_session(session));
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
    const auto sessions = open_sessions(sql, campaign);
    const bool goes_on = std::ranges::any_of(sessions, [&](const SessionOwner& owner) {
      return at_work(sql, campaign, owner, boot_id()).has_value();
    });
    sql << "UPDATE campaign SET closing = 'closed' WHERE id = :c", use(campaign.value);
    if (goes_on) return;
    abort_rounds(sql, campaign, "");
    sql << "UPDATE campaign SET state = 'ended' WHERE id = :c", use(campaign.value);
  });
}

}  // namespace assay::ledger
