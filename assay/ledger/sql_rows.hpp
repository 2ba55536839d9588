#pragma once

#include <soci/soci.h>

#include <initializer_list>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <utility>
#include <vector>

#include "assay/codec/fields.hpp"
#include "assay/codec/value.hpp"

/// Values as rows of tables: their fields (codec/fields.hpp) are the columns. Included by this module's own
/// sources only.
namespace assay::ledger {

using codec::Value;

/// A column of an insert: its name, and the kind of its values.
struct Column {
  enum class Kind { whole, number, text };
  std::string name;
  Kind kind = Kind::whole;
};

template <class T>
constexpr Column::Kind kind_of_column() {
  if constexpr (codec::is_optional<T>)
    return kind_of_column<typename T::value_type>();
  else if constexpr (std::is_floating_point_v<T>)
    return Column::Kind::number;
  else if constexpr (codec::is_id<T> || (std::is_integral_v<T> && !std::is_same_v<T, std::uint64_t>))
    return Column::Kind::whole;
  else
    return Column::Kind::text;
}

/// The columns of a value's fields.
template <class T>
std::vector<Column> columns_of(const T& value) {
  std::vector<Column> columns;
  codec::fields(value, [&]<class F>(const char* name, const F&) {
    columns.push_back({name, kind_of_column<F>()});
  });
  return columns;
}

/// Puts the values of its fields behind those that are there.
template <class T>
void append_values(const T& value, std::vector<Value>& values) {
  codec::fields(value, [&](const char*, const auto& field) { values.push_back(codec::to_value(field)); });
}

template <class T>
std::vector<Value> values_of(const T& value) {
  std::vector<Value> values;
  append_values(value, values);
  return values;
}

/// A statement that puts a row, or so many at once, into a table, prepared once; numbers are bound as they
/// are, not as decimal text.
class Insert {
 public:
  /// `numbered`: the table's rows number themselves, and run() returns the number. `sql` has to outlive it.
  Insert(soci::session& sql, const std::string& table, const std::vector<Column>& columns,
         bool numbered = false, std::size_t rows = 1);
  ~Insert();
  Insert(const Insert&) = delete;
  Insert& operator=(const Insert&) = delete;

  /// Values in the order of the columns, row by row. Returns the last row's number, if it has one; else 0.
  std::int64_t run(std::initializer_list<Value> values) {
    return run(std::span(values.begin(), values.size()));
  }
  std::int64_t run(std::span<const Value> values);

 private:
  struct Slot;
  std::vector<std::unique_ptr<Slot>> slots_;
  soci::session& sql_;
  std::string table_;
  bool numbered_;
  long long number_ = 0;  ///< of the last row
  soci::statement statement_;
};

/// A number in as many digits as read back to the same one.
std::string exact_text(double value);

/// A trial's readings as two lists in the text form of arrays.
class PackedReadings {
 public:
  void add(std::int64_t metric, double value);
  std::string metrics() const { return metrics_ + "}"; }
  std::string values() const { return values_ + "}"; }

 private:
  std::string metrics_ = "{", values_ = "{";
};

/// Puts rows into a table many at a time: each statement costs as much as storing a row. In a PostgreSQL database by COPY,
/// in the caller's transaction.
class InsertMany {
 public:
  InsertMany(soci::session& sql, const std::string& table, const std::vector<Column>& columns);
  void add(std::initializer_list<Value> row) { add(std::span(row.begin(), row.size())); }
  void add(std::span<const Value> row);
  /// Stores what was added. To be called before the end of the transaction.
  void flush();

 private:
  soci::session& sql_;
  std::string table_, names_;
  std::size_t columns_;
  std::optional<Insert> one_, many_;
  std::vector<Value> waiting_;
};

/// A column of a row that was read.
Value value_of(const soci::row& row, std::size_t column);

/// Reads one value from a row whose columns are its fields, from `first` on. Returns the next column.
template <class T>
std::size_t read_row(const soci::row& row, std::size_t first, T& value) {
  codec::fields(value, [&](const char*, auto& field) { codec::from_value(value_of(row, first++), field); });
  return first;
}

/// The names of a value's columns, with commas between.
template <class T>
std::string names_of_columns() {
  std::string names;
  for (const auto& column : columns_of(T{})) names += (names.empty() ? "" : ", ") + column.name;
  return names;
}

}  // namespace assay::ledger
