#include "assay/exchange/csv_text.hpp"

namespace assay::exchange {
namespace {

bool begins_like_a_formula(std::string_view text) {
  return !text.empty() && std::string_view("=+-@\t'").find(text.front()) != std::string_view::npos;
}

}  // namespace

std::string csv_field(const std::string& text) {
  const auto safe = begins_like_a_formula(text) ? "'" + text : text;
  if (safe.find_first_of(",\"\r\n") == std::string::npos) return safe;
  std::string quoted = "\"";
  for (const char c : safe) quoted += c == '"' ? std::string("\"\"") : std::string(1, c);
  return quoted + "\"";
}

std::string_view csv_text(std::string_view field) {
  return field.starts_with('\'') && begins_like_a_formula(field.substr(1)) ? field.substr(1) : field;
}

}  // namespace assay::exchange
