#include "assay/model/setting.hpp"

#include <array>
#include <charconv>
#include <type_traits>

#include "assay/model/error.hpp"

namespace assay::model {

std::string to_string(const Level& level) {
  return std::visit(
      [](const auto& value) -> std::string {
        using T = std::decay_t<decltype(value)>;
        if constexpr (std::is_same_v<T, std::string>) return value;
        if constexpr (std::is_same_v<T, bool>) return value ? "true" : "false";
        if constexpr (std::is_same_v<T, std::int64_t>) return std::to_string(value);
        if constexpr (std::is_same_v<T, double>) {
          std::array<char, 32> digits{};
          const auto end = std::to_chars(digits.data(), digits.data() + digits.size(), value).ptr;
          return {digits.data(), end};
        }
      },
      level);
}

std::optional<double> number_of(const Level& level) {
  if (const auto* whole = std::get_if<std::int64_t>(&level)) return static_cast<double>(*whole);
  if (const auto* real = std::get_if<double>(&level)) return *real;
  return {};
}

std::string Setting::text() const {
  std::string text;
  for (const auto& [name, level] : levels) {
    if (!text.empty()) text += ", ";
    text += name + "=" + to_string(level);
  }
  return text;
}

std::int64_t Setting::integer(const std::string& name) const {
  const auto found = levels.find(name);
  if (found == levels.end())
    throw Error("no factor \"" + name + "\" in this setting", text(), "name one of its factors");
  if (const auto* whole = std::get_if<std::int64_t>(&found->second)) return *whole;
  throw Error("level " + to_string(found->second) + " is not a whole number", "factor " + name);
}

}  // namespace assay::model
