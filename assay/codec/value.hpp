#pragma once

#include <cstdint>
#include <limits>
#include <optional>
#include <string>
#include <type_traits>
#include <utility>
#include <variant>
#include <vector>

#include "assay/model/design.hpp"
#include "assay/model/enum_names.hpp"
#include "assay/model/error.hpp"
#include "assay/model/metric.hpp"
#include "assay/model/setting.hpp"

/// One field as a database or a document holds it: nothing, a whole number, a number, or text. Enumerators
/// are their names, lists of texts and seeds are text, ids are numbers.
namespace assay::codec {

using Value = std::variant<std::monostate, std::int64_t, double, std::string>;

/// Thrown by read_value() for a value that means nothing in its field; says what it is.
class CorruptData : public Error {
 public:
  explicit CorruptData(const std::string& what) : Error(what, {}, {}, Code::ledger_damaged) {}
};

/// Text that any database and document takes: without NUL (a `?` in its place), valid UTF-8 (a replacement
/// character for each other byte).
std::string sanitize(const std::string& text);

/// A list of texts as text, and back.
std::string encode_list(const std::vector<std::string>& texts);
std::vector<std::string> decode_list(const std::string& text);

/// A level with its kind: "bool", "integer", "number", "text".
std::string kind_of(const Level& level);
Level read_level(const std::string& kind, const std::string& text);

std::int64_t read_whole(const Value& value);
double read_number(const Value& value);
std::string read_text(const Value& value);
std::uint64_t read_unsigned(const std::string& text);
[[noreturn]] void refuse_number(std::int64_t value);

template <class T>
inline constexpr bool is_optional = false;
template <class T>
inline constexpr bool is_optional<std::optional<T>> = true;
template <class T>
inline constexpr bool is_id = false;
template <class Tag>
inline constexpr bool is_id<Id<Tag>> = true;

template <class T>
Value to_value(const T& field) {
  if constexpr (is_optional<T>) {
    return field ? to_value(*field) : Value{};
  } else if constexpr (std::is_same_v<T, Requirement>) {
    return field.text;
  } else if constexpr (is_id<T>) {
    return field.value;
  } else if constexpr (std::is_same_v<T, LeadIn> || std::is_enum_v<T>) {
    return to_string(field);
  } else if constexpr (std::is_same_v<T, bool>) {
    return std::int64_t{field ? 1 : 0};
  } else if constexpr (std::is_same_v<T, std::uint64_t>) {
    return std::to_string(field);  // beyond what databases have as whole numbers
  } else if constexpr (std::is_integral_v<T>) {
    return static_cast<std::int64_t>(field);
  } else if constexpr (std::is_same_v<T, std::vector<std::string>>) {
    return encode_list(field);
  } else {
    return field;
  }
}

/// Throws Damaged.
template <class T>
void from_value(const Value& value, T& field) {
  if constexpr (is_optional<T>) {
    if (std::holds_alternative<std::monostate>(value)) {
      field.reset();
    } else {
      field.emplace();
      from_value(value, *field);
    }
  } else if constexpr (std::is_same_v<T, Requirement>) {
    field = parse_requirement(read_text(value));
  } else if constexpr (std::is_same_v<T, LeadIn>) {
    const auto text = std::holds_alternative<std::monostate>(value) ? std::string{} : read_text(value);
    field = text.empty() ? LeadIn{} : parse_lead_in(text);
  } else if constexpr (is_id<T>) {
    field.value = read_whole(value);
  } else if constexpr (std::is_enum_v<T>) {
    const auto word = read_text(value);
    const auto known = parse_enum<T>(word);
    if (!known) throw CorruptData("it holds \"" + word + "\", which means nothing here");
    field = *known;
  } else if constexpr (std::is_same_v<T, bool>) {
    field = read_whole(value) != 0;
  } else if constexpr (std::is_same_v<T, std::uint64_t>) {
    field = std::holds_alternative<std::string>(value) ? read_unsigned(std::get<std::string>(value))
                                                       : static_cast<std::uint64_t>(read_whole(value));
  } else if constexpr (std::is_integral_v<T>) {
    const auto whole = read_whole(value);
    if (!std::in_range<T>(whole)) refuse_number(whole);
    field = static_cast<T>(whole);
  } else if constexpr (std::is_floating_point_v<T>) {
    field = read_number(value);
  } else if constexpr (std::is_same_v<T, std::vector<std::string>>) {
    field = decode_list(read_text(value));
  } else {
    field = std::holds_alternative<std::monostate>(value) ? std::string{} : read_text(value);
  }
}

}  // namespace assay::codec
