#include "assay/model/cell_filter.hpp"

#include <algorithm>
#include <sstream>

#include "assay/model/error.hpp"
#include "assay/model/text.hpp"

namespace assay::model {

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
