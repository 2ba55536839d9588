// What several processes do in one campaign: rounds that are given out, and what each sees of the others.
// Locks are taken in one order: the campaign's row, then rounds.

#include <algorithm>
#include <optional>
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

void abort_rounds(soci::session& sql, CampaignId campaign, std::optional<SessionId> of) {
  const auto now = time_of(sql);
  sql << "UPDATE round SET state = 'aborted', closed = :n WHERE campaign = :c AND state = 'open'" +
             (of ? " AND session = " + std::to_string(of->value) : std::string()),
      use(now), use(campaign.value);
}

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
      if (is_claimed) abort_rounds(sql, campaign, known.session);
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

}  // namespace assay::ledger
