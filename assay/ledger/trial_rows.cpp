#include <cmath>
#include <map>
#include <sstream>
#include <unordered_map>

#include "assay/ledger/connection.hpp"
#include "assay/ledger/rows.hpp"
#include "assay/model/error.hpp"
#include "assay/model/log.hpp"

namespace assay::ledger {
namespace {

using soci::use;
using Rows = soci::rowset<soci::row>;
using Kind = Column::Kind;

std::vector<Column> columns_under_campaign(std::vector<Column> columns) {
  columns.insert(columns.begin(), {"campaign", Kind::whole});
  return columns;
}

/// Cell numbers with spaces between.
std::string write_order(const std::vector<CellId>& cells) {
  std::string text;
  for (const auto cell : cells) text += (text.empty() ? "" : " ") + std::to_string(cell.value);
  return text;
}

std::vector<CellId> read_order(const std::string& text) {
  std::vector<CellId> cells;
  std::istringstream words(text);
  for (std::int64_t id = 0; words >> id;) cells.push_back({id});
  return cells;
}

void refuse_what_is_not_finite(const Trial& trial) {
  for (const auto& reading : trial.readings)
    if (!std::isfinite(reading.value))
      throw DomainError("a reading is not a finite number", static_cast<std::size_t>(reading.metric.value),
                        reading.value);
  for (const auto& point : trial.series)
    if (!std::isfinite(point.value) || !std::isfinite(point.at.value_or(0)))
      throw DomainError("a point of a series is not a finite number",
                        static_cast<std::size_t>(point.metric.value), point.value);
}

/// Where readings lie in the trial's row they are two lists.
std::vector<Column> trial_columns(bool packs_readings) {
  auto columns = columns_under_campaign(columns_of(Trial{}));
  if (packs_readings) {
    columns.push_back({"metrics", Kind::text});
    columns.push_back({"vals", Kind::text});
  }
  return columns;
}

}  // namespace

TrialRows::TrialRows(soci::session& sql)
    : packs_readings_(is_postgres(sql)),
      trial_(sql, "trial", trial_columns(packs_readings_), true),
      readings_(sql, "reading", {{"trial", Kind::whole}, {"metric", Kind::whole}, {"value", Kind::number}}),
      points_(sql, "series",
              {{"trial", Kind::whole},
               {"metric", Kind::whole},
               {"place", Kind::whole},
               {"at", Kind::number},
               {"value", Kind::number}}) {}

void TrialRows::put(CampaignId campaign, const Trial& trial) {
  refuse_what_is_not_finite(trial);
  values_.clear();
  values_.emplace_back(campaign.value);
  append_values(trial, values_);
  if (packs_readings_) {
    PackedReadings packed;
    for (const auto& reading : trial.readings) packed.add(reading.metric.value, reading.value);
    values_.emplace_back(packed.metrics());
    values_.emplace_back(packed.values());
  }
  const auto id = trial_.run(values_);
  if (!packs_readings_)
    for (const auto& reading : trial.readings) readings_.add({id, reading.metric.value, reading.value});
  std::int64_t place = 0;
  for (const auto& point : trial.series)
    points_.add({id, point.metric.value, place++, codec::to_value(point.at), point.value});
}

void TrialRows::flush() {
  readings_.flush();
  points_.flush();
}

RoundRows::RoundRows(soci::session& sql)
    : round_(sql, "round", [] {
        auto columns = columns_under_campaign(columns_of(Round{}));
        columns.push_back({"trial_order", Kind::text});
        columns.push_back({"claimed", Kind::whole});
        return columns;
      }()) {}

void RoundRows::put(CampaignId campaign, const Round& round, std::int64_t claimed) {
  auto values = values_of(round);
  values.insert(values.begin(), campaign.value);
  values.emplace_back(write_order(round.order));
  values.emplace_back(claimed);
  round_.run(values);
}

void put_look(soci::session& sql, CampaignId campaign, const InterimLook& look) {
  auto values = values_of(look);
  values.insert(values.begin(), campaign.value);
  Insert(sql, "look", columns_under_campaign(columns_of(look))).run(values);
}

void put_way_choice(soci::session& sql, CampaignId campaign, const WayChoice& choice) {
  auto values = values_of(choice);
  values.insert(values.begin(), campaign.value);
  Insert(sql, "way", columns_under_campaign(columns_of(choice))).run(values);
}

namespace {

constexpr std::int64_t no_library = -1;

}  // namespace

void put_code_samples(soci::session& sql, CampaignId campaign, const CodeSampleLog& samples) {
  if (samples.empty() && samples.remarks.empty()) return;
  const auto put = [&]<class T>(Insert& insert, const T& value, std::optional<std::int64_t> id = {}) {
    std::vector<Value> values = {campaign.value};
    if (id) values.emplace_back(*id);
    append_values(value, values);
    insert.run(values);
  };
  auto code_columns = columns_under_campaign(columns_of(SampledCode{}));
  code_columns.insert(code_columns.begin() + 1, {"id", Kind::whole});
  Insert code(sql, "code", code_columns);
  for (const auto id : samples.code.ids()) put(code, samples.code[id], id.value);
  Insert trials(sql, "sampled", columns_under_campaign(columns_of(SampledTrial{})));
  InsertMany spent(sql, "spent",
                   columns_under_campaign({{"cell", Kind::whole},
                                           {"round", Kind::whole},
                                           {"code", Kind::whole},
                                           {"library", Kind::whole},
                                           {"samples", Kind::whole}}));
  for (const auto& trial : samples.trials) {
    put(trials, trial);
    for (const auto& count : trial.counts)
      spent.add({campaign.value, trial.cell.value, std::int64_t{trial.round}, count.code.value,
                 count.library ? count.library->value : no_library, count.samples});
  }
  spent.flush();
  Insert matches(sql, "code_match", columns_under_campaign(columns_of(CodeMatch{})));
  for (const auto& match : samples.matches) put(matches, match);
  Insert remarks(sql, "sample_remark", columns_under_campaign({{"id", Kind::whole}, {"text", Kind::text}}));
  std::int64_t place = 0;
  for (const auto& remark : samples.remarks) remarks.run({campaign.value, place++, codec::sanitize(remark)});
}

void read_code_samples(soci::session& sql, CampaignId campaign, CodeSampleLog& samples) {
  const auto each = [&](const std::string& query, const auto& take) {
    const Rows rows = (sql.prepare << "SELECT " + query, use(campaign.value));
    for (const auto& row : rows) take(row);
  };
  each(names_of_columns<SampledCode>() + " FROM code WHERE campaign = :c ORDER BY id",
       [&](const soci::row& row) {
         SampledCode code;
         read_row(row, 0, code);
         samples.code.add(std::move(code));
       });
  std::map<std::pair<CellId, int>, std::size_t> places;
  each(names_of_columns<SampledTrial>() + " FROM sampled WHERE campaign = :c ORDER BY round, cell",
       [&](const soci::row& row) {
         auto& trial = samples.trials.emplace_back();
         read_row(row, 0, trial);
         places[{trial.cell, trial.round}] = samples.trials.size() - 1;
       });
  each(
      "cell, round, code, library, samples FROM spent WHERE campaign = :c ORDER BY round, cell, code, "
      "library",
      [&](const soci::row& row) {
        SampledTrial trial;
        CodeCount count;
        codec::from_value(value_of(row, 0), trial.cell);
        codec::from_value(value_of(row, 1), trial.round);
        codec::from_value(value_of(row, 2), count.code);
        CodeId library;
        codec::from_value(value_of(row, 3), library);
        if (library.value != no_library) count.library = library;
        codec::from_value(value_of(row, 4), count.samples);
        const auto found = places.find({trial.cell, trial.round});
        if (found == places.end()) throw codec::CorruptData("samples of a trial that is not there");
        samples.trials[found->second].counts.push_back(count);
      });
  each(names_of_columns<CodeMatch>() +
           " FROM code_match WHERE campaign = :c ORDER BY baseline, candidate, code",
       [&](const soci::row& row) { read_row(row, 0, samples.matches.emplace_back()); });
  each("text FROM sample_remark WHERE campaign = :c ORDER BY id",
       [&](const soci::row& row) { samples.remarks.push_back(codec::read_text(value_of(row, 0))); });
}

std::vector<Round> read_rounds(soci::session& sql, CampaignId campaign, int from) {
  std::vector<Round> all;
  const Rows rows = (sql.prepare << "SELECT trial_order, " + names_of_columns<Round>() +
                                        " FROM round WHERE campaign = :c AND number >= :n ORDER BY number",
                     use(campaign.value), use(from));
  for (const auto& row : rows) {
    auto& round = all.emplace_back();
    round.order = read_order(codec::read_text(value_of(row, 0)));
    read_row(row, 1, round);
  }
  return all;
}

std::vector<Trial> read_trials(soci::session& sql, CampaignId campaign, const std::string& condition) {
  std::vector<Trial> all;
  std::unordered_map<std::int64_t, std::size_t> places;
  const auto of_campaign = " WHERE t.campaign = :c" + condition;
  const Rows trials = (sql.prepare << "SELECT t.id, " + names_of_columns<Trial>() + " FROM trial t" +
                                          of_campaign + " ORDER BY t.id",
                       use(campaign.value));
  for (const auto& row : trials) {
    places[codec::read_whole(value_of(row, 0))] = all.size();
    read_row(row, 1, all.emplace_back());
  }
  const Rows readings =
      (sql.prepare << "SELECT r.trial, r.metric, r.value FROM reading r JOIN trial t ON t.id = r.trial" +
                          of_campaign + " ORDER BY r.trial, r.metric",
       use(campaign.value));
  // Another process may have stored a trial meanwhile, of a round that is not closed yet.
  const auto trial_of = [&](const soci::row& row) -> Trial* {
    const auto found = places.find(codec::read_whole(value_of(row, 0)));
    return found == places.end() ? nullptr : &all[found->second];
  };
  for (const auto& row : readings) {
    auto* trial = trial_of(row);
    if (trial == nullptr) continue;
    auto& reading = trial->readings.emplace_back();
    codec::from_value(value_of(row, 1), reading.metric);
    reading.value = codec::read_number(value_of(row, 2));
  }
  const Rows points =
      (sql.prepare << "SELECT s.trial, s.metric, s.at, s.value FROM series s JOIN trial t ON t.id = s.trial" +
                          of_campaign + " ORDER BY s.trial, s.metric, s.place",
       use(campaign.value));
  for (const auto& row : points) {
    auto* trial = trial_of(row);
    if (trial == nullptr) continue;
    auto& point = trial->series.emplace_back();
    codec::from_value(value_of(row, 1), point.metric);
    codec::from_value(value_of(row, 2), point.at);
    point.value = codec::read_number(value_of(row, 3));
  }
  return all;
}

std::vector<WayChoice> read_way_choices(soci::session& sql, CampaignId campaign) {
  std::vector<WayChoice> all;
  const Rows ways = (sql.prepare << "SELECT " + names_of_columns<WayChoice>() +
                                        " FROM way WHERE campaign = :c ORDER BY workload",
                     use(campaign.value));
  for (const auto& row : ways) read_row(row, 0, all.emplace_back());
  return all;
}

void read_rounds_and_trials(soci::session& sql, CampaignId campaign, Log& log) {
  log.rounds = read_rounds(sql, campaign, 0);
  log.trials = read_trials(sql, campaign, "");
  const Rows looks = (sql.prepare << "SELECT " + names_of_columns<InterimLook>() +
                                         " FROM look WHERE campaign = :c"
                                         " ORDER BY metric, candidate, baseline, number",
                      use(campaign.value));
  for (const auto& row : looks) read_row(row, 0, log.looks.emplace_back());
  log.ways = read_way_choices(sql, campaign);
}

}  // namespace assay::ledger
