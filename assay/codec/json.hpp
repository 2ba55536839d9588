#pragma once

#include <nlohmann/json.hpp>
#include <optional>
#include <string>
#include <string_view>

#include "assay/codec/fields.hpp"
#include "assay/codec/value.hpp"

/// Values as JSON. Included by sources only: it brings the JSON library with it.
namespace assay::codec {

using Json = nlohmann::json;
using OrderedJson = nlohmann::ordered_json;

/// Deeper nesting is rejected.
inline constexpr int deepest = 100;

/// Parses text from outside. Empty when it is no JSON, or nests deeper than `deepest`; neither throws nor
/// recurses.
std::optional<Json> parse_json(std::string_view text);

/// A level as JSON has it: true, 800, 0.5, "on"; and back. Throws Damaged for what is no level.
OrderedJson level_json(const Level& level);
Level level_of(const Json& json);

/// A setting as an object of its levels, and back.
OrderedJson setting_json(const Setting& setting);
Setting setting_of(const Json& json);

/// A document's text: bytes that are no UTF-8 are replaced. `indent` below 0: on one line.
std::string text_of(const OrderedJson& document, int indent);

template <class T>
OrderedJson field_json(const T& field) {
  if constexpr (is_optional<T>) {
    return field ? field_json(*field) : OrderedJson(nullptr);
  } else if constexpr (std::is_same_v<T, bool> || std::is_same_v<T, std::vector<std::string>>) {
    return field;
  } else {
    return std::visit(
        [](const auto& value) -> OrderedJson {
          if constexpr (std::is_same_v<std::decay_t<decltype(value)>, std::monostate>)
            return nullptr;
          else
            return value;
        },
        to_value(field));
  }
}

template <class T>
void field_from_json(const Json& json, T& field) {
  if constexpr (is_optional<T>) {
    if (json.is_null()) {
      field.reset();
    } else {
      field.emplace();
      field_from_json(json, *field);
    }
  } else if constexpr (std::is_same_v<T, bool>) {
    if (!json.is_boolean()) throw CorruptData("it holds " + json.dump() + " where true or false belongs");
    field = json.get<bool>();
  } else if constexpr (std::is_same_v<T, std::vector<std::string>>) {
    field = decode_list(json.dump());
  } else {
    Value value;
    if (json.is_number_integer() || json.is_number_unsigned())
      value = json.get<std::int64_t>();
    else if (json.is_number())
      value = json.get<double>();
    else if (json.is_string())
      value = json.get<std::string>();
    from_value(value, field);
  }
}

/// A value's fields as an object; `leave_out` names those that are left out.
template <class T>
OrderedJson fields_json(const T& value, std::initializer_list<std::string_view> leave_out = {}) {
  OrderedJson object = OrderedJson::object();
  fields(value, [&](const char* name, const auto& field) {
    if (std::ranges::find(leave_out, std::string_view(name)) == leave_out.end())
      object[name] = field_json(field);
  });
  return object;
}

/// The other way; what is not there keeps what `value` had. Throws Damaged.
template <class T>
void fields_from_json(const Json& object, T& value) {
  if (!object.is_object()) throw CorruptData("it holds " + object.dump() + " where an object belongs");
  fields(value, [&](const char* name, auto& field) {
    if (const auto found = object.find(name); found != object.end()) try {
        field_from_json(*found, field);
      } catch (const CorruptData& error) {
        throw CorruptData(std::string(name) + ": " + error.problem());
      }
  });
}

}  // namespace assay::codec
