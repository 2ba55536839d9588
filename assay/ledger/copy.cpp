#include "assay/ledger/copy.hpp"

#include <algorithm>
#include <map>
#include <optional>
#include <vector>

#include "assay/ledger/schema.hpp"
#include "assay/ledger/sql_rows.hpp"

namespace assay::ledger {

namespace {

using soci::into;
using soci::use;
using Rows = soci::rowset<soci::row>;

Column::Kind kind_of(const soci::column_properties& column) {
  switch (column.get_data_type()) {
    case soci::dt_double:
      return Column::Kind::number;
    case soci::dt_string:
    case soci::dt_xml:
      return Column::Kind::text;
    default:
      return Column::Kind::whole;
  }
}

/// The columns of a row that was read, but for some; and where each stands in it.
struct Layout {
  std::vector<Column> columns;
  std::vector<std::size_t> places;

  Layout(const soci::row& row, const std::vector<std::string>& without) {
    for (std::size_t i = 0; i < row.size(); ++i) {
      const auto& column = row.get_properties(i);
      if (std::ranges::find(without, column.get_name()) != without.end()) continue;
      columns.push_back({column.get_name(), kind_of(column)});
      places.push_back(i);
    }
  }

  std::vector<Value> values(const soci::row& row) const {
    std::vector<Value> all;
    for (const auto place : places) all.push_back(value_of(row, place));
    return all;
  }
  /// Puts a value into the column of this name, where there is one.
  void replace(std::vector<Value>& values, const std::string& name, const Value& by) const {
    for (std::size_t i = 0; i < columns.size(); ++i)
      if (columns[i].name == name) values[i] = by;
  }
};

class Copying {
 public:
  Copying(soci::session& from, CampaignId campaign, soci::session& to)
      : from_(from), to_(to), old_(campaign.value) {}

  std::size_t run() {
    put_campaign_row();
    match_machines();
    const auto tables = tables_of_a_campaign();
    for (auto table = tables.rbegin(); table != tables.rend(); ++table) {
      if (*table == "trial")
        put_trials();
      else
        put_table(std::string(*table));
    }
    return trials_;
  }

 private:
  void put_campaign_row() {
    const Rows rows = (from_.prepare << "SELECT * FROM campaign WHERE id = :c", use(old_));
    for (const auto& row : rows) {
      const Layout layout(row, {"id", "confirms"});
      new_ = Insert(to_, "campaign", layout.columns, true).run(layout.values(row));
    }
  }

  /// A machine's number in the other ledger, which is made if need be.
  void match_machines() {
    const Rows rows = (from_.prepare << "SELECT DISTINCT m.id, m.fingerprint, m.mark FROM machine m"
                                        " JOIN session s ON s.machine = m.id WHERE s.campaign = :c",
                       use(old_));
    for (const auto& row : rows) {
      const auto fingerprint = codec::read_text(value_of(row, 1)), mark = codec::read_text(value_of(row, 2));
      to_ << "INSERT INTO machine (fingerprint, mark) VALUES (:f, :m) ON CONFLICT DO NOTHING",
          use(fingerprint), use(mark);
      std::int64_t id = 0;
      to_ << "SELECT id FROM machine WHERE fingerprint = :f AND mark = :m", use(fingerprint), use(mark),
          into(id);
      machines_[codec::read_whole(value_of(row, 0))] = id;
    }
  }

  void put_table(const std::string& table) {
    const Rows rows = (from_.prepare << "SELECT * FROM " + table + " WHERE campaign = :c", use(old_));
    std::optional<Layout> layout;
    std::optional<InsertMany> insert;
    for (const auto& row : rows) {
      if (!layout) {
        layout.emplace(row, std::vector<std::string>{});
        insert.emplace(to_, table, layout->columns);
      }
      auto values = layout->values(row);
      layout->replace(values, "campaign", new_);
      if (table == "session") {
        const auto at =
            std::ranges::find(layout->columns, "machine", &Column::name) - layout->columns.begin();
        layout->replace(values, "machine",
                        machines_.at(codec::read_whole(values[static_cast<std::size_t>(at)])));
      }
      insert->add(values);
    }
    if (insert) insert->flush();
  }

  /// So many numbers for trials that nobody else gets.
  std::vector<std::int64_t> new_numbers(std::size_t count) {
    std::vector<std::int64_t> numbers;
    if (is_postgres(to_)) {
      const auto wanted = static_cast<std::int64_t>(count);
      const soci::rowset<long long> rows =
          (to_.prepare << "SELECT nextval(pg_get_serial_sequence('trial', 'id')) FROM generate_series(1, :n)",
           use(wanted));
      for (const auto number : rows) numbers.push_back(number);
    } else {
      long long last = 0;
      to_ << "SELECT coalesce(max(id), 0) FROM trial", into(last);
      while (numbers.size() < count) numbers.push_back(++last);
    }
    return numbers;
  }

  /// With their readings, which lie beside them or in them, and their series.
  void put_trials() {
    long long count = 0;
    from_ << "SELECT count(*) FROM trial WHERE campaign = :c", use(old_), into(count);
    trials_ = static_cast<std::size_t>(count);
    if (count == 0) return;
    const auto numbers = new_numbers(trials_);
    const bool packs = is_postgres(to_);
    const Rows rows = (from_.prepare << "SELECT * FROM trial WHERE campaign = :c ORDER BY id", use(old_));
    const Rows readings =
        (from_.prepare << "SELECT r.trial, r.metric, r.value FROM reading r JOIN trial t ON t.id ="
                          " r.trial WHERE t.campaign = :c ORDER BY r.trial, r.metric",
         use(old_));
    auto reading = readings.begin();
    std::optional<Layout> layout;
    std::optional<InsertMany> trials, beside;
    if (!packs)
      beside.emplace(to_, "reading",
                     std::vector<Column>{{"trial"}, {"metric"}, {"value", Column::Kind::number}});
    std::size_t at = 0;
    for (const auto& row : rows) {
      if (!layout) {
        layout.emplace(row, std::vector<std::string>{"metrics", "vals"});
        auto columns = layout->columns;
        if (packs)
          columns.insert(columns.end(), {{"metrics", Column::Kind::text}, {"vals", Column::Kind::text}});
        trials.emplace(to_, "trial", columns);
      }
      const auto old = codec::read_whole(row_number(row));
      const auto number = numbers.at(at++);
      numbers_[old] = number;
      auto values = layout->values(row);
      layout->replace(values, "id", number);
      layout->replace(values, "campaign", new_);
      PackedReadings packed;
      for (; reading != readings.end() && codec::read_whole(value_of(*reading, 0)) == old; ++reading) {
        const auto metric = codec::read_whole(value_of(*reading, 1));
        const double value = codec::read_number(value_of(*reading, 2));
        if (packs)
          packed.add(metric, value);
        else
          beside->add({number, metric, value});  // references are not looked up
      }
      if (packs) values.insert(values.end(), {packed.metrics(), packed.values()});
      trials->add(values);
    }
    trials->flush();
    if (beside) beside->flush();
    put_series();
  }

  static Value row_number(const soci::row& row) {
    for (std::size_t i = 0; i < row.size(); ++i)
      if (row.get_properties(i).get_name() == "id") return value_of(row, i);
    return {};
  }

  void put_series() {
    const Rows rows =
        (from_.prepare << "SELECT s.* FROM series s JOIN trial t ON t.id = s.trial WHERE t.campaign = :c",
         use(old_));
    std::optional<Layout> layout;
    std::optional<InsertMany> insert;
    for (const auto& row : rows) {
      if (!layout) {
        layout.emplace(row, std::vector<std::string>{});
        insert.emplace(to_, "series", layout->columns);
      }
      auto values = layout->values(row);
      layout->replace(values, "trial", numbers_.at(codec::read_whole(value_of(row, 0))));
      insert->add(values);
    }
    if (insert) insert->flush();
  }

  soci::session &from_, &to_;
  std::int64_t old_, new_ = 0;
  std::map<std::int64_t, std::int64_t> machines_, numbers_;  ///< there, by their number here
  std::size_t trials_ = 0;
};

}  // namespace

std::optional<std::size_t> copy_campaign(Connection& from, CampaignId campaign, Connection& to) {
  return from.read([&] {
    std::string uid;
    from.sql() << "SELECT uid FROM campaign WHERE id = :c", use(campaign.value), into(uid);
    return to.write_known([&]() -> std::optional<std::size_t> {
      long long there = 0;
      to.sql() << "SELECT count(*) FROM campaign WHERE uid = :u", use(uid), into(there);
      if (there > 0 || uid.empty()) return {};
      return Copying(from.sql(), campaign, to.sql()).run();
    });
  });
}

void link_confirmed(Connection& ledger, const std::string& uid, const std::string& confirms_uid) {
  ledger.write([&] {
    ledger.sql()
        << "UPDATE campaign SET confirms = (SELECT o.id FROM campaign o WHERE o.uid = :o) WHERE uid = :u",
        use(confirms_uid), use(uid);
  });
}

std::string confirmed_by(Connection& ledger, CampaignId campaign) {
  return ledger.read([&] {
    std::string uid;
    ledger.sql() << "SELECT o.uid FROM campaign o JOIN campaign c ON c.confirms = o.id WHERE c.id = :c",
        use(campaign.value), into(uid);
    return uid;
  });
}

}  // namespace assay::ledger
