#pragma once

#include <map>
#include <span>
#include <string>

namespace assay::plan {

/// Names with a meaning of their own: no factor and no `with` may take them.
std::span<const std::string> reserved_placeholders();

/// Replaces each `${name}` in `text` by its value; `$${` stands for a literal `${`.
///
///   expand("net-${locks}.txt", {{"locks", "800"}})  ==  "net-800.txt"
///   expand("$${HOME}", {})                          ==  "${HOME}"
///
/// Throws Error (without a place) for a name that has no value here, with the near miss, and for a `${`
/// that is never closed.
std::string expand(const std::string& text, const std::map<std::string, std::string>& values);

}  // namespace assay::plan
