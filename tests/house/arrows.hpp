#pragma once

#include <map>
#include <set>
#include <sstream>
#include <string>

namespace assay::test {
using namespace model;

/// What each module may include besides itself, as its CMakeLists.txt says: "name:used,used;name:…".
inline std::map<std::string, std::set<std::string>> arrows_of(const std::string& list) {
  std::map<std::string, std::set<std::string>> arrows;
  std::istringstream modules(list);
  for (std::string module; std::getline(modules, module, ';');) {
    const auto colon = module.find(':');
    auto& uses = arrows[module.substr(0, colon)];
    std::istringstream names(module.substr(colon + 1));
    for (std::string name; std::getline(names, name, ',');) uses.insert(name);
  }
  return arrows;
}

inline const auto arrows = arrows_of(ASSAY_MODULE_ARROWS);

}  // namespace assay::test
