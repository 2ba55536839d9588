#include "assay/codec/json.hpp"

namespace assay::codec {

std::optional<Json> parse_json(std::string_view text) {
  struct TooDeep {};
  try {
    auto json = Json::parse(
        text.begin(), text.end(),
        [](int depth, Json::parse_event_t, Json&) {
          if (depth > deepest) throw TooDeep{};
          return true;
        },
        false);
    if (json.is_discarded()) return {};
    return json;
  } catch (const TooDeep&) {
    return {};
  }
}

OrderedJson level_json(const Level& level) {
  return std::visit([](const auto& value) { return OrderedJson(value); }, level);
}

Level level_of(const Json& json) {
  if (json.is_boolean()) return json.get<bool>();
  if (json.is_number_integer()) return json.get<std::int64_t>();
  if (json.is_number()) return json.get<double>();
  if (json.is_string()) return json.get<std::string>();
  throw CorruptData("it holds " + json.dump() + " where a level belongs");
}

OrderedJson setting_json(const Setting& setting) {
  auto object = OrderedJson::object();
  for (const auto& [name, level] : setting.levels) object[name] = level_json(level);
  return object;
}

Setting setting_of(const Json& json) {
  if (!json.is_object()) throw CorruptData("it holds " + json.dump() + " where a setting belongs");
  Setting setting;
  for (const auto& [name, level] : json.items()) setting.levels[name] = level_of(level);
  return setting;
}

std::string text_of(const OrderedJson& document, int indent) {
  return document.dump(indent, ' ', false, OrderedJson::error_handler_t::replace);
}

}  // namespace assay::codec
