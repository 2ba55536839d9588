#include "assay/ledger/rows.hpp"

namespace assay::inline v1::ledger {

struct Insert::Slot {
  Column::Kind kind = Column::Kind::whole;
  long long whole = 0;
  double number = 0;
  std::string text;
  soci::indicator there = soci::i_ok;
};

Insert::Insert(soci::session& sql, const std::string& table, const std::vector<Column>& columns,
               const std::string& returning)
    : returns_(!returning.empty()), statement_(sql) {
  std::string names, places;
  for (const auto& column : columns) {
    const auto place = ":v" + std::to_string(slots_.size());
    names += (names.empty() ? "" : ", ") + column.name;
    places += (places.empty() ? "" : ", ") + place;
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
  if (returns_) statement_.exchange(soci::into(returned_));
  statement_.alloc();
  statement_.prepare("INSERT INTO " + table + " (" + names + ") VALUES (" + places + ")" +
                     (returns_ ? " RETURNING " + returning : ""));
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
        slot.text = codec::storable(std::get<std::string>(value));
        break;
    }
  }
  statement_.execute(true);
  const auto returned = returned_;
  if (returns_) statement_.fetch();  // there is no second row; without asking, the statement would stay open
  return returned;
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

}  // namespace assay::inline v1::ledger
