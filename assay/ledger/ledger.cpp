#include "assay/ledger/ledger.hpp"

#include <soci/soci.h>

#include <optional>
#include <utility>

#include "assay/ledger/ledger_state.hpp"
#include "assay/ledger/rows.hpp"
#include "assay/ledger/schema.hpp"
#include "assay/ledger/session_owner.hpp"
#include "assay/ledger/sql_rows.hpp"
#include "assay/model/error.hpp"
#include "assay/model/log.hpp"

namespace assay::ledger {

using soci::into;
using soci::use;

namespace {

Opening opening_of(Ledger::OpenMode mode) {
  switch (mode) {
    case Ledger::OpenMode::create:
      return Opening::create;
    case Ledger::OpenMode::existing:
      return Opening::existing;
    case Ledger::OpenMode::update:
      return Opening::update;
  }
  return Opening::existing;
}

}  // namespace

Ledger::Ledger(const std::string& place, OpenMode opening)
    : state_(std::make_unique<State>(place, opening_of(opening))) {}
Ledger::~Ledger() = default;
Ledger::Ledger(Ledger&&) noexcept = default;
Ledger& Ledger::operator=(Ledger&&) noexcept = default;

const Place& Ledger::place() const { return state_->place(); }

void Ledger::set_listener(std::function<void(const std::string&)> listener, std::stop_token stop) {
  state_->set_listener(std::move(listener), std::move(stop));
}

namespace {

/// The campaign with this uid; none where it is not there.
std::optional<CampaignId> campaign_with(soci::session& sql, const std::string& uid) {
  CampaignId id;
  sql << "SELECT id FROM campaign WHERE uid = :u", use(uid), into(id.value);
  return sql.got_data() ? std::optional(id) : std::nullopt;
}

/// Whether a trial is stored: that of a cell in a round, or of a check, one of the same answer.
bool has_trial(soci::session& sql, CampaignId campaign, const Trial& trial) {
  long long rows = 0;
  if (trial.round)
    sql << "SELECT count(*) FROM trial WHERE campaign = :c AND round = :r AND cell = :l AND repeat = :k",
        use(campaign.value), use(*trial.round), use(trial.cell.value), use(trial.repeat), into(rows);
  else
    sql << "SELECT count(*) FROM trial WHERE campaign = :c AND round IS NULL AND cell = :l AND session = :s"
           " AND batch = :b AND calls = :n AND output_digest = :d",
        use(campaign.value), use(trial.cell.value), use(trial.session.value), use(trial.batch),
        use(trial.calls), use(trial.output_digest), into(rows);
  return rows > 0;
}

}  // namespace

CampaignId Ledger::begin(const Record& record) {
  return state_->write([&] {
    if (state_->is_repeated())
      if (const auto id = campaign_with(state_->sql(), record.design.uid)) return *id;
    const auto id = put_campaign(state_->sql(), record, own_token(state_->sql()));
    if (!record.log.sessions.empty()) state_->be_present(id, SessionId{0});
    return id;
  });
}

CampaignId Ledger::add_whole(const Record& record) {
  if (const auto wrong = find_inconsistency(record); !wrong.empty())
    throw Error(wrong, state_->place().shown());
  auto& sql = state_->sql();
  return state_->write_known([&] {
    if (state_->is_repeated())
      if (const auto id = campaign_with(sql, record.design.uid)) return *id;
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

void Ledger::add_trial(CampaignId campaign, const Trial& trial) {
  state_->write([&] {
    if (state_->is_repeated() && has_trial(state_->sql(), campaign, trial)) return;
    try {
      auto& trials = state_->trials();
      trials.put(campaign, trial);
      trials.flush();
      if (trial.round) state_->prolong(campaign, *trial.round);
    } catch (...) {
      state_->drop_statements();  // with what they kept back
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

void Ledger::set_label(CampaignId campaign, const std::string& label) {
  auto& sql = state_->sql();
  const auto text = codec::sanitize(label);
  state_->write(
      [&] { sql << "UPDATE campaign SET label = :l WHERE id = :c", use(text), use(campaign.value); });
}

void Ledger::add_look(CampaignId campaign, const InterimLook& look) {
  auto& sql = state_->sql();
  state_->write([&] {
    long long there = 0;
    lock_campaign(sql, campaign);  // others take the same looks
    sql << "SELECT count(*) FROM look WHERE campaign = :c AND baseline = :b AND candidate = :d AND metric "
           "= :m"
           " AND number = :n",
        use(campaign.value), use(look.comparison.baseline.value), use(look.comparison.candidate.value),
        use(look.metric.value), use(look.number), into(there);
    if (there == 0) put_look(sql, campaign, look);
  });
}

void Ledger::add_way_choice(CampaignId campaign, const WayChoice& choice) {
  auto& sql = state_->sql();
  state_->write([&] {
    long long there = 0;
    lock_campaign(sql, campaign);
    sql << "SELECT count(*) FROM way WHERE campaign = :c AND workload = :w", use(campaign.value),
        use(choice.workload.value), into(there);
    if (there == 0) put_way_choice(sql, campaign, choice);
  });
}

void Ledger::set_code_samples(CampaignId campaign, const CodeSampleLog& samples) {
  auto& sql = state_->sql();
  state_->write([&] {
    for (const auto table : code_sample_tables())
      sql << "DELETE FROM " + std::string(table) + " WHERE campaign = :c", use(campaign.value);
    put_code_samples(sql, campaign, samples);
  });
}

namespace {

void delete_readings(soci::session& sql, CampaignId campaign) {
  const std::string of = " WHERE trial IN (SELECT id FROM trial WHERE campaign = :c)";
  sql << "DELETE FROM series" + of, use(campaign.value);
  if (!is_postgres(sql)) sql << "DELETE FROM reading" + of, use(campaign.value);
}

}  // namespace

void Ledger::compact(CampaignId campaign, const std::string& values) {
  auto& sql = state_->sql();
  state_->delete_rows([&] {
    refuse_measured(sql, campaign, boot_id());
    if (!compacted_row(sql, campaign).empty()) return;
    delete_readings(sql, campaign);
    for (const auto* part : {"trial", "checked", "look", "history_values"})
      sql << std::string("DELETE FROM ") + part + " WHERE campaign = :c", use(campaign.value);
    for (const auto table : code_sample_tables())
      sql << "DELETE FROM " + std::string(table) + " WHERE campaign = :c", use(campaign.value);
    sql << "INSERT INTO reduced (campaign, kept) VALUES (:c, :k)", use(campaign.value), use(values);
  });
}

void Ledger::keep_history_values(std::span<const HistoryValues> all, const std::string& reference,
                                 int judge) {
  auto& sql = state_->sql();
  const auto boot = boot_id();
  state_->write([&] {
    for (const auto& [campaign, values] : all) {
      if (measurer_of(sql, campaign, boot)) continue;  // an end check may still change what its cells are
      sql << "INSERT INTO history_values (campaign, reference, judge, kept)"
             " SELECT id, CAST(:r AS TEXT), CAST(:j AS INTEGER), CAST(:k AS TEXT) FROM campaign"
             " WHERE id = :c AND state = 'ended' ON CONFLICT DO NOTHING",
          use(reference), use(judge), use(values), use(campaign.value);
    }
  });
}

void Ledger::remove(std::span<const CampaignId> campaigns) {
  auto& sql = state_->sql();
  state_->delete_rows([&] {
    for (const auto campaign : campaigns) {
      refuse_measured(sql, campaign, boot_id());
      sql << "UPDATE campaign SET confirms = NULL WHERE confirms = :c", use(campaign.value);
      delete_readings(sql, campaign);
      for (const auto table : tables_of_a_campaign())
        sql << "DELETE FROM " + std::string(table) + " WHERE campaign = :c", use(campaign.value);
      sql << "DELETE FROM campaign WHERE id = :c", use(campaign.value);
    }
  });
}

}  // namespace assay::ledger
