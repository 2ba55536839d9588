#include <fmt/format.h>

#include <cmath>

#include "assay/ledger/ledger.hpp"
#include "assay/ledger/spelling.hpp"
#include "assay/ledger/state.hpp"

namespace assay::ledger {
namespace {

using soci::use;

/// Returns the trial's number in the ledger.
std::int64_t store(TrialRow& row, CampaignId campaign, const Trial& trial) {
  row.campaign = campaign.value;
  row.round = trial.round.value_or(0);
  row.has_round = there(trial.round.has_value());
  row.cell = trial.cell.value;
  row.sitting = trial.sitting.value;
  row.role = to_string(trial.role);
  row.position = trial.position;
  row.heat = trial.heat;
  row.calls = trial.calls;
  row.outcome = to_string(trial.outcome);
  row.exit_status = trial.exit_status;
  row.signal = trial.signal;
  row.bytes = static_cast<std::int64_t>(trial.output_bytes);
  row.digest = trial.output_digest;
  row.leftovers = trial.leftovers;
  row.detail = storable(trial.detail);
  row.insert.execute(true);
  const auto id = row.id;
  row.insert.fetch();  // there is no second row; without asking, the statement would stay open
  return id;
}

/// Rows of numbers, many to a statement: preparing one for each would take longer than storing them. fmt
/// writes a number in the shortest form that reads back the same.
class RowWriter {
 public:
  RowWriter(soci::session& sql, const char* statement) : sql_(sql), statement_(statement) {}

  void add(const std::string& row) {
    rows_ += (rows_.empty() ? "" : ",") + row;
    constexpr std::size_t long_enough = 100000;
    if (rows_.size() > long_enough) put();
  }

  /// Stores what was added and not stored yet.
  void put() {
    if (!rows_.empty()) sql_ << statement_ + rows_;
    rows_.clear();
  }

 private:
  soci::session& sql_;
  std::string statement_, rows_;
};

}  // namespace

TrialRow::TrialRow(soci::session& sql)
    : insert(
          (sql.prepare
               << "INSERT INTO trial (campaign, round, cell, sitting, role, position, heat, calls, outcome,"
                  " exit_status, signal, output_bytes, output_digest, leftovers, detail)"
                  " VALUES (:c, :r, :ce, :s, :ro, :p, :h, :ca, :o, :e, :si, :b, :d, :l, :de) RETURNING id",
           use(campaign), use(round, has_round), use(cell), use(sitting), use(role), use(position), use(heat),
           use(calls), use(outcome), use(exit_status), use(signal), use(bytes), use(digest), use(leftovers),
           use(detail), soci::into(id))) {}

void Ledger::State::put_round(CampaignId campaign, const Round& round) {
  const auto state = spell(round.state), order = spell(round.order);
  sql << "INSERT INTO round (campaign, number, sitting, state, trial_order) VALUES (:c, :n, :s, :st, :o)",
      use(campaign.value), use(round.number), use(round.sitting.value), use(state), use(order);
}

void Ledger::State::put_trial(CampaignId campaign, const Trial& trial) {
  for (const auto& reading : trial.readings)
    if (!std::isfinite(reading.value))
      throw DomainError("a reading is not a finite number", reading.metric.place(), reading.value);
  for (const auto& point : trial.series)
    if (!std::isfinite(point.value) || !std::isfinite(point.at.value_or(0)))
      throw DomainError("a point of a series is not a finite number", point.metric.place(), point.value);

  if (!trial_row) trial_row = std::make_unique<TrialRow>(sql);
  const auto id = store(*trial_row, campaign, trial);
  RowWriter readings(sql, "INSERT INTO reading (trial, metric, value) VALUES ");
  for (const auto& reading : trial.readings)
    readings.add(fmt::format("({},{},{})", id, reading.metric.value, reading.value));
  RowWriter points(sql, "INSERT INTO series (trial, metric, place, at, value) VALUES ");
  for (std::size_t i = 0; i < trial.series.size(); ++i) {
    const auto& point = trial.series[i];
    points.add(fmt::format("({},{},{},{},{})", id, point.metric.value, i,
                           point.at ? fmt::format("{}", *point.at) : "NULL", point.value));
  }
  readings.put();
  points.put();
}

void Ledger::add_round(CampaignId campaign, const Round& round) {
  state_->transact([&] { state_->put_round(campaign, round); });
}

void Ledger::set_round_state(CampaignId campaign, int number, RoundState state) {
  auto& sql = state_->sql;
  const auto word = spell(state);
  state_->transact([&] {
    sql << "UPDATE round SET state = :s WHERE campaign = :c AND number = :n", use(word), use(campaign.value),
        use(number);
  });
}

void Ledger::add_trial(CampaignId campaign, const Trial& trial) {
  state_->transact([&] { state_->put_trial(campaign, trial); });
}

}  // namespace assay::ledger
