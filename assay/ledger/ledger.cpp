#include "assay/ledger/ledger.hpp"

#include <soci/soci.h>
#include <unistd.h>

#include <algorithm>
#include <fstream>
#include <sstream>
#include <utility>

#include "assay/ledger/connection.hpp"
#include "assay/ledger/rows.hpp"
#include "assay/ledger/session_owner.hpp"
#include "assay/ledger/sql_rows.hpp"
#include "assay/model/error.hpp"
#include "assay/model/log.hpp"

namespace assay::ledger {

using soci::into;
using soci::use;

/// The connection behind a Ledger, with the statements that it keeps.
struct Ledger::State : Connection {
  using Connection::Connection;
  std::unique_ptr<TrialRows> trials;  ///< made with the first trial
};

Ledger::Ledger(const std::string& path, OpenMode opening)
    : state_(std::make_unique<State>(path, opening == OpenMode::create)) {}
Ledger::~Ledger() = default;
Ledger::Ledger(Ledger&&) noexcept = default;
Ledger& Ledger::operator=(Ledger&&) noexcept = default;

const std::string& Ledger::path() const { return state_->path(); }

CampaignId Ledger::begin(const Record& record) {
  return state_->write([&] { return put_campaign(state_->sql(), record, token_of_this_process()); });
}

namespace {

/// Throws Error(in_use) when a process measures the campaign now.
void refuse_measured(soci::session& sql, CampaignId campaign, const std::string& boot = boot_id()) {
  SessionOwner measurer;
  std::string uid;
  sql << "SELECT uid FROM campaign WHERE id = :c", use(campaign.value), into(uid);
  sql << "SELECT token, boot, seen FROM session WHERE campaign = :c AND ended IS NULL"
         " AND token IS NOT NULL ORDER BY id DESC LIMIT 1",
      use(campaign.value), into(measurer.token), into(measurer.boot), into(measurer.seen);
  if (!sql.got_data()) return;
  if (const auto who = is_alive(measurer, boot))
    throw Error("campaign " + short_uid(uid) + " is being measured by " + *who, Error::Field::resume,
                "wait for its end, or stop it", Error::Code::in_use);
}

}  // namespace

CampaignId Ledger::add_whole(const Record& record) {
  if (const auto wrong = find_inconsistency(record); !wrong.empty()) throw Error(wrong, state_->path());
  auto& sql = state_->sql();
  return state_->write_known([&] {
    const auto campaign = put_campaign(sql, record, {});
    RoundRows rounds(sql);
    for (const auto& round : record.log.rounds) rounds.put(campaign, round);
    TrialRows trials(sql);
    for (const auto& trial : record.log.trials) trials.put(campaign, trial);
    trials.flush();
    for (const auto& look : record.log.looks) put_look(sql, campaign, look);
    put_code_samples(sql, campaign, record.log.samples);
    return campaign;
  });
}

void Ledger::add_session(CampaignId campaign, const Session& session) {
  auto& sql = state_->sql();
  state_->write([&] {
    refuse_measured(sql, campaign, session.boot);
    SessionId id;
    sql << "SELECT count(*) FROM session WHERE campaign = :c", use(campaign.value), into(id.value);
    const auto now = unix_milliseconds();
    sql << "UPDATE session SET token = NULL, ended = coalesce(ended, :n) WHERE campaign = :c", use(now),
        use(campaign.value);
    put_session(sql, campaign, id, session, token_of_this_process());
    sql << "UPDATE campaign SET state = 'open' WHERE id = :c", use(campaign.value);
  });
}

Round Ledger::claim_round(CampaignId campaign, SessionId session,
                          const std::function<RoundPlan(int number)>& plan_of) {
  auto& sql = state_->sql();
  return state_->write([&] {
    Round round{.session = session};
    sql << "SELECT next_round FROM campaign WHERE id = :c", use(campaign.value), into(round.number);
    static_cast<RoundPlan&>(round) = plan_of(round.number);
    RoundRows(sql).put(campaign, round);
    sql << "UPDATE campaign SET next_round = next_round + 1 WHERE id = :c", use(campaign.value);
    const auto now = unix_milliseconds();
    sql << "UPDATE session SET seen = :n WHERE campaign = :c AND id = :s", use(now), use(campaign.value),
        use(session.value);
    return round;
  });
}

void Ledger::set_round_state(CampaignId campaign, int number, RoundState state) {
  auto& sql = state_->sql();
  const auto word = to_string(state);
  const auto now = unix_milliseconds();
  state_->write([&] {
    sql << "UPDATE round SET state = :s, closed = :n WHERE campaign = :c AND number = :k", use(word),
        use(now), use(campaign.value), use(number);
  });
}

void Ledger::add_trial(CampaignId campaign, const Trial& trial) {
  auto& trials = state_->trials;
  state_->write([&] {
    if (!trials) trials = std::make_unique<TrialRows>(state_->sql());
    try {
      trials->put(campaign, trial);
      trials->flush();
    } catch (...) {
      trials.reset();  // with what it kept back
      throw;
    }
  });
}

void Ledger::set_cell_status(CampaignId campaign, CellId cell, const CellStatus& state) {
  auto& sql = state_->sql();
  const auto word = to_string(state.code), why = codec::sanitize(state.detail);
  state_->write([&] {
    sql << "UPDATE cell SET status = :s, detail = :d WHERE campaign = :c AND id = :i", use(word), use(why),
        use(campaign.value), use(cell.value);
  });
}

void Ledger::set_check_warning(CampaignId campaign, const CheckWarning& doubt) {
  state_->write([&] { put_check_warning(state_->sql(), campaign, doubt); });
}

void Ledger::set_state(CampaignId campaign, CampaignState state) {
  auto& sql = state_->sql();
  const auto word = to_string(state);
  const auto now = unix_milliseconds();
  state_->write([&] {
    sql << "UPDATE campaign SET state = :s WHERE id = :c", use(word), use(campaign.value);
    sql << "UPDATE session SET token = NULL, seen = :n, ended = :e WHERE campaign = :c AND ended IS NULL",
        use(now), use(now), use(campaign.value);
  });
}

void Ledger::set_label(CampaignId campaign, const std::string& label) {
  auto& sql = state_->sql();
  const auto text = codec::sanitize(label);
  state_->write(
      [&] { sql << "UPDATE campaign SET label = :l WHERE id = :c", use(text), use(campaign.value); });
}

void Ledger::add_look(CampaignId campaign, const InterimLook& look) {
  state_->write([&] { put_look(state_->sql(), campaign, look); });
}

void Ledger::add_way_choice(CampaignId campaign, const WayChoice& choice) {
  state_->write([&] { put_way_choice(state_->sql(), campaign, choice); });
}

void Ledger::set_code_samples(CampaignId campaign, const CodeSampleLog& samples) {
  auto& sql = state_->sql();
  state_->write([&] {
    for (const auto table : code_sample_tables())
      sql << "DELETE FROM " + std::string(table) + " WHERE campaign = :c", use(campaign.value);
    put_code_samples(sql, campaign, samples);
  });
}

std::vector<CampaignSummary> Ledger::list() {
  return state_->read([&] { return read_summaries(state_->sql()); });
}

std::vector<CampaignId> Ledger::with_commit(const std::string& commit) {
  auto& sql = state_->sql();
  return state_->read([&] {
    std::vector<CampaignId> found;
    const soci::rowset<std::int64_t> rows =
        (sql.prepare << "SELECT DISTINCT campaign FROM candidate WHERE commit_id = :c ORDER BY campaign",
         use(commit));
    for (const auto id : rows) found.push_back(CampaignId{id});
    return found;
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

std::string Ledger::compacted_values(CampaignId campaign) {
  auto& sql = state_->sql();
  return state_->read([&] {
    std::string values;
    soci::indicator there = soci::i_null;
    sql << "SELECT kept FROM reduced WHERE campaign = :c", use(campaign.value), into(values, there);
    return sql.got_data() ? values : std::string{};
  });
}

void Ledger::compact(CampaignId campaign, const std::string& values) {
  auto& sql = state_->sql();
  state_->delete_rows([&] {
    refuse_measured(sql, campaign);
    for (const auto* part : {"reading", "series"})
      sql << std::string("DELETE FROM ") + part +
                 " WHERE trial IN (SELECT id FROM trial WHERE campaign = :c)",
          use(campaign.value);
    for (const auto* part : {"trial", "checked", "look"})
      sql << std::string("DELETE FROM ") + part + " WHERE campaign = :c", use(campaign.value);
    for (const auto table : code_sample_tables())
      sql << "DELETE FROM " + std::string(table) + " WHERE campaign = :c", use(campaign.value);
    sql << "INSERT INTO reduced (campaign, kept) VALUES (:c, :k)", use(campaign.value), use(values);
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

void Ledger::remove(std::span<const CampaignId> campaigns) {
  auto& sql = state_->sql();
  state_->delete_rows([&] {
    for (const auto campaign : campaigns) {
      refuse_measured(sql, campaign);
      sql << "UPDATE campaign SET confirms = NULL WHERE confirms = :c", use(campaign.value);
      for (const auto* part : {"reading", "series"})
        sql << std::string("DELETE FROM ") + part +
                   " WHERE trial IN (SELECT id FROM trial WHERE campaign = :c)",
            use(campaign.value);
      for (const auto table : tables_of_a_campaign())
        sql << "DELETE FROM " + std::string(table) + " WHERE campaign = :c", use(campaign.value);
      sql << "DELETE FROM campaign WHERE id = :c", use(campaign.value);
    }
  });
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
  throw Error(found.empty() ? "there is no campaign \"" + text + "\""
                            : "\"" + text + "\" is the beginning of " + std::to_string(found.size()) +
                                  " campaigns' ids",
              "ledger", "assay ledger lists them all; a name, or a beginning that only one has, will do",
              Error::Code::ledger_missing);
}

namespace {

/// When a process of this boot began, in clock ticks since then; empty when there is no such process. With
/// its number it names a process for good.
std::string birth_of(const std::string& pid) {
  std::ifstream file("/proc/" + pid + "/stat");
  std::string line;
  std::getline(file, line);
  const auto name_end = line.rfind(')');
  if (name_end == std::string::npos) return {};
  std::istringstream fields(line.substr(name_end + 1));
  std::string field;
  constexpr int birth = 20;  // counted from the one after the name
  for (int i = 0; i < birth; ++i) {
    fields >> field;
    if (i == 0 && field == "Z")
      return {};  // it has ended; that its parent has not heard of it changes nothing
  }
  return field;
}

}  // namespace

std::string token_of_this_process() {
  const auto pid = std::to_string(getpid());
  return pid + ":" + birth_of(pid);
}

std::optional<std::string> is_alive(const SessionOwner& measurer, const std::string& boot) {
  if (measurer.boot != boot) {
    constexpr std::int64_t a_minute = 60'000;
    if (unix_milliseconds() - measurer.seen < a_minute) return "another machine";
    return {};
  }
  const auto colon = measurer.token.find(':');
  if (colon == std::string::npos) return {};
  const auto pid = measurer.token.substr(0, colon), birth = birth_of(pid);
  if (birth.empty() || birth != measurer.token.substr(colon + 1)) return {};
  return "process " + pid;
}

}  // namespace assay::ledger
