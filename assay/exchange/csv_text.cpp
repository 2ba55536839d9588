#include "assay/exchange/csv_text.hpp"

namespace assay::inline v1::exchange {
namespace {

bool begins_like_a_formula(std::string_view text) {
  return !text.empty() && std::string_view("=+-@\t'").find(text.front()) != std::string_view::npos;
}

}  // namespace

std::string csv_field(const std::string& text) {
  const auto told = begins_like_a_formula(text) ? "'" + text : text;
  if (told.find_first_of(",\"\r\n") == std::string::npos) return told;
  std::string quoted = "\"";
  for (const char c : told) quoted += c == '"' ? std::string("\"\"") : std::string(1, c);
  return quoted + "\"";
}

std::string_view csv_text(std::string_view field) {
  return field.starts_with('\'') && begins_like_a_formula(field.substr(1)) ? field.substr(1) : field;
}

}  // namespace assay::inline v1::exchange
