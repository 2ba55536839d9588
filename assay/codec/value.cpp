#include "assay/codec/value.hpp"

#include <algorithm>
#include <array>
#include <charconv>
#include <cmath>
#include <nlohmann/json.hpp>

#include "assay/codec/json.hpp"

namespace assay::codec {
namespace {

[[noreturn]] void refuse(const std::string& text, const char* wanted) {
  throw CorruptData("it holds \"" + text + "\" where " + wanted + " belongs");
}

}  // namespace

std::string sanitize(const std::string& text) {
  const auto plain = [](char c) { return c != '\0' && static_cast<unsigned char>(c) < 0x80; };
  if (std::ranges::all_of(text, plain)) return text;
  std::string clean = text;
  std::ranges::replace(clean, '\0', '?');
  const auto quoted = nlohmann::json(clean).dump(-1, ' ', false, nlohmann::json::error_handler_t::replace);
  return nlohmann::json::parse(quoted).get<std::string>();
}

std::string encode_list(const std::vector<std::string>& texts) {
  return nlohmann::json(texts).dump(-1, ' ', false, nlohmann::json::error_handler_t::replace);
}

std::vector<std::string> decode_list(const std::string& text) {
  const auto list = parse_json(text);
  if (!list || !list->is_array()) refuse(text, "a list of texts");
  std::vector<std::string> texts;
  for (const auto& entry : *list) {
    if (!entry.is_string()) refuse(text, "a list of texts");
    texts.push_back(entry.get<std::string>());
  }
  return texts;
}

std::string kind_of(const Level& level) {
  return std::array{"bool", "integer", "number", "text"}.at(level.index());
}

Level read_level(const std::string& kind, const std::string& text) {
  const auto* const end = text.data() + text.size();
  if (kind == "bool") return text == "true";
  if (kind == "integer") {
    std::int64_t whole = 0;
    const auto [stop, failed] = std::from_chars(text.data(), end, whole);
    if (failed != std::errc{} || stop != end) refuse(text, "a whole number");
    return whole;
  }
  if (kind == "number") {
    double number = 0;
    const auto [stop, failed] = std::from_chars(text.data(), end, number);
    if (failed != std::errc{} || stop != end) refuse(text, "a number");
    return number;
  }
  if (kind == "text") return text;
  throw CorruptData("it holds a level of the kind \"" + kind + "\"");
}

std::int64_t read_whole(const Value& value) {
  if (const auto* whole = std::get_if<std::int64_t>(&value)) return *whole;
  if (const auto* number = std::get_if<double>(&value);
      number != nullptr && std::trunc(*number) == *number && std::abs(*number) < 9e15)
    return static_cast<std::int64_t>(*number);
  if (const auto* text = std::get_if<std::string>(&value)) refuse(*text, "a whole number");
  throw CorruptData("a whole number is missing in it");
}

double read_number(const Value& value) {
  if (const auto* number = std::get_if<double>(&value)) return *number;
  if (const auto* whole = std::get_if<std::int64_t>(&value)) return static_cast<double>(*whole);
  if (const auto* text = std::get_if<std::string>(&value)) refuse(*text, "a number");
  throw CorruptData("a number is missing in it");
}

std::string read_text(const Value& value) {
  if (const auto* text = std::get_if<std::string>(&value)) return *text;
  throw CorruptData("a text is missing in it");
}

std::uint64_t read_unsigned(const std::string& text) {
  std::uint64_t number = 0;
  const auto* const end = text.data() + text.size();
  const auto [stop, failed] = std::from_chars(text.data(), end, number);
  if (failed != std::errc{} || stop != end) refuse(text, "a whole number from 0 on");
  return number;
}

void refuse_number(std::int64_t value) {
  throw CorruptData("it holds " + std::to_string(value) + ", which is out of range");
}

}  // namespace assay::codec
