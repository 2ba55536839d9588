#include "assay/model/setting.hpp"

#include <algorithm>
#include <array>
#include <charconv>
#include <sstream>
#include <type_traits>

#include "assay/model/error.hpp"
#include "assay/model/text.hpp"

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

bool CellFilter::matches(const std::string& name, const std::string& value) const {
  const auto found = allowed.find(name);
  return found == allowed.end() || std::ranges::count(found->second, value) > 0;
}

bool CellFilter::matches(const Setting& setting) const {
  return std::ranges::all_of(
      setting.levels, [&](const auto& level) { return matches(level.first, to_string(level.second)); });
}

void CellFilter::refuse_unknown_names(std::vector<std::string> factors, const std::string& of) const {
  factors.insert(factors.begin(), {"candidate", "workload"});
  for (const auto& [name, values] : allowed)
    if (std::ranges::count(factors, name) == 0)
      throw Error(of + " has no \"" + name + "\" to choose by", Error::Field::only,
                  did_you_mean(name, factors));
}

CellFilter parse_cell_filter(const std::string& text) {
  CellFilter only;
  std::string name;
  std::istringstream parts(text);
  for (std::string part; std::getline(parts, part, ',');) {
    const auto equals = part.find('=');
    if (equals == std::string::npos && !name.empty()) {  // a comma within a value
      only.allowed[name].back() += "," + part;
      continue;
    }
    if (equals == std::string::npos || equals == 0 || equals + 1 == part.size())
      throw Error("\"" + part + "\" is not a choice", Error::Field::only,
                  "write it like workload=orders,locks=800");
    name = part.substr(0, equals);
    only.allowed[name].push_back(part.substr(equals + 1));
  }
  return only;
}

}  // namespace assay::model
