#include "assay/ledger/sql_rows.hpp"

#include <array>
#include <charconv>

#include "assay/ledger/connection.hpp"

namespace assay::ledger {

struct Insert::Slot {
  Column::Kind kind = Column::Kind::whole;
  long long whole = 0;
  double number = 0;
  std::string text;
  soci::indicator there = soci::i_ok;
};

Insert::Insert(soci::session& sql, const std::string& table, const std::vector<Column>& columns,
               bool numbered, std::size_t rows)
    : sql_(sql), table_(table), numbered_(numbered), statement_(sql) {
  std::string names, places;
  for (const auto& column : columns) names += (names.empty() ? "" : ", ") + column.name;
  for (std::size_t i = 0; i < rows * columns.size(); ++i) {
    const auto& column = columns[i % columns.size()];
    const bool first = i % columns.size() == 0;
    places += std::string(i == 0 ? "(" : first ? "), (" : ", ") + ":v" + std::to_string(i);
    auto& slot = *slots_.emplace_back(std::make_unique<Slot>());
    slot.kind = column.kind;
    switch (column.kind) {
      case Column::Kind::whole:
        statement_.exchange(soci::use(slot.whole, slot.there));
        break;
      case Column::Kind::number:
        statement_.exchange(soci::use(slot.number, slot.there));
        break;
      case Column::Kind::text:
        statement_.exchange(soci::use(slot.text, slot.there));
        break;
    }
  }
  const bool returns = numbered_ && is_postgres(sql);
  if (returns) statement_.exchange(soci::into(number_));
  statement_.alloc();
  statement_.prepare("INSERT INTO " + table + " (" + names + ") VALUES " + places + ")" +
                     (returns ? " RETURNING id" : ""));
  statement_.define_and_bind();
}

Insert::~Insert() = default;

std::int64_t Insert::run(std::span<const Value> values) {
  for (std::size_t i = 0; i < slots_.size(); ++i) {
    auto& slot = *slots_[i];
    const auto& value = values[i];
    slot.there = std::holds_alternative<std::monostate>(value) ? soci::i_null : soci::i_ok;
    if (slot.there == soci::i_null) continue;
    switch (slot.kind) {
      case Column::Kind::whole:
        slot.whole = codec::read_whole(value);
        break;
      case Column::Kind::number:
        slot.number = codec::read_number(value);
        break;
      case Column::Kind::text:
        slot.text = codec::sanitize(std::get<std::string>(value));
        break;
    }
  }
  statement_.execute(true);
  if (numbered_ && !is_postgres(sql_) && !sql_.get_last_insert_id(table_, number_))
    throw soci::soci_error("this database does not tell the number of a row put into " + table_);
  return number_;
}

namespace {

constexpr std::size_t rows_at_once = 50, copied_at_once = 5000;

/// A value as a field of COPY's text form.
void append_field(std::string& text, const Value& value) {
  if (const auto* whole = std::get_if<std::int64_t>(&value)) {
    text += std::to_string(*whole);
  } else if (const auto* number = std::get_if<double>(&value)) {
    text += exact_text(*number);
  } else if (const auto* own = std::get_if<std::string>(&value)) {
    for (const char c : codec::sanitize(*own)) {
      if (c == '\\')
        text += "\\\\";
      else if (c == '\n')
        text += "\\n";
      else if (c == '\r')
        text += "\\r";
      else if (c == '\t')
        text += "\\t";
      else
        text += c;
    }
  } else {
    text += "\\N";
  }
}

}  // namespace

std::string exact_text(double value) {
  std::array<char, 32> digits{};
  return {digits.data(), std::to_chars(digits.data(), digits.data() + digits.size(), value).ptr};
}

InsertMany::InsertMany(soci::session& sql, const std::string& table, const std::vector<Column>& columns)
    : sql_(sql), table_(table), columns_(columns.size()) {
  for (const auto& column : columns) names_ += (names_.empty() ? "" : ", ") + column.name;
  if (is_postgres(sql)) return;
  one_.emplace(sql, table, columns);
  many_.emplace(sql, table, columns, false, rows_at_once);
}

void PackedReadings::add(std::int64_t metric, double value) {
  const auto* comma = metrics_.size() == 1 ? "" : ",";
  metrics_ += comma + std::to_string(metric);
  values_ += comma + exact_text(value);
}

void InsertMany::add(std::span<const Value> row) {
  waiting_.insert(waiting_.end(), row.begin(), row.end());
  if (waiting_.size() < (many_ ? rows_at_once : copied_at_once) * columns_) return;
  if (!many_) return flush();
  many_->run(waiting_);
  waiting_.clear();
}

void InsertMany::flush() {
  const std::span<const Value> all(waiting_);
  if (one_) {
    for (std::size_t i = 0; i < all.size(); i += columns_) one_->run(all.subspan(i, columns_));
  } else if (!all.empty()) {
    std::string rows;
    for (std::size_t i = 0; i < all.size(); ++i) {
      append_field(rows, all[i]);
      rows += (i + 1) % columns_ == 0 ? '\n' : '\t';
    }
    copy_rows(sql_, table_, names_, rows);
  }
  waiting_.clear();
}

Value value_of(const soci::row& row, std::size_t column) {
  if (row.get_indicator(column) != soci::i_ok) return {};
  switch (row.get_properties(column).get_data_type()) {
    case soci::dt_integer:
      return std::int64_t{row.get<int>(column)};
    case soci::dt_long_long:
      return std::int64_t{row.get<long long>(column)};
    case soci::dt_unsigned_long_long:
      return static_cast<std::int64_t>(row.get<unsigned long long>(column));
    case soci::dt_double:
      return row.get<double>(column);
    default:
      return row.get<std::string>(column);
  }
}

}  // namespace assay::ledger
