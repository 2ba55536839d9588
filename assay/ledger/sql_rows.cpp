#include "assay/ledger/sql_rows.hpp"

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
  statement_.alloc();
  statement_.prepare("INSERT INTO " + table + " (" + names + ") VALUES " + places + ")");
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
  long long number = 0;
  if (numbered_ && !sql_.get_last_insert_id(table_, number))
    throw soci::soci_error("this database does not tell the number of a row put into " + table_);
  return number;
}

namespace {
constexpr std::size_t rows_at_once = 50;
}

InsertMany::InsertMany(soci::session& sql, const std::string& table, const std::vector<Column>& columns)
    : columns_(columns.size()), one_(sql, table, columns), many_(sql, table, columns, false, rows_at_once) {}

void InsertMany::add(std::initializer_list<Value> row) {
  waiting_.insert(waiting_.end(), row.begin(), row.end());
  if (waiting_.size() < rows_at_once * columns_) return;
  many_.run(waiting_);
  waiting_.clear();
}

void InsertMany::flush() {
  const std::span<const Value> all(waiting_);
  for (std::size_t i = 0; i < all.size(); i += columns_) one_.run(all.subspan(i, columns_));
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
