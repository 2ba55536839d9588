#pragma once

#include <map>
#include <string>
#include <string_view>
#include <vector>

namespace assay::report {

/// A name without parameters and template arguments: `a::f<int>(int, char)` is `a::f`.
std::string short_name(std::string_view name);

/// The names without parameters and template arguments (short_name()), but for those that would be alike then.
std::map<std::string, std::string> short_names(const std::vector<std::string>& names);

}  // namespace assay::report
