#include "assay/model/only.hpp"

#include <algorithm>
#include <sstream>

#include "assay/model/error.hpp"

namespace assay::inline v1::inline model {

bool Only::admits(const std::string& name, const std::string& value) const {
  const auto found = allowed.find(name);
  return found == allowed.end() || std::ranges::count(found->second, value) > 0;
}

bool Only::admits(const Setting& setting) const {
  return std::ranges::all_of(setting.levels,
                             [&](const auto& level) { return admits(level.first, to_string(level.second)); });
}

Only parse_only(const std::string& text) {
  Only only;
  std::string name;
  std::istringstream parts(text);
  for (std::string part; std::getline(parts, part, ',');) {
    const auto equals = part.find('=');
    if (equals == std::string::npos && !name.empty()) {  // a comma within a value
      only.allowed[name].back() += "," + part;
      continue;
    }
    if (equals == std::string::npos || equals == 0 || equals + 1 == part.size())
      throw Error("\"" + part + "\" is not a choice", "--only", "write it like workload=orders,locks=800");
    name = part.substr(0, equals);
    only.allowed[name].push_back(part.substr(equals + 1));
  }
  return only;
}

}  // namespace assay::inline v1::inline model
