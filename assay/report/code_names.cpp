#include "assay/report/code_names.hpp"

#include <algorithm>
#include <set>

namespace assay::report {

std::string short_name(std::string_view name) {
  constexpr std::string_view anonymous = "(anonymous namespace)", one_word = "(anonymous\x1fnamespace)";
  std::string text;
  int depth = 0;
  bool has_parameters = false;
  for (std::size_t i = 0; i < name.size(); ++i) {
    const auto rest = name.substr(i);
    // Operators have these signs in their names.
    if (depth == 0 && rest.starts_with("operator") && (i == 0 || name[i - 1] == ':' || name[i - 1] == ' ')) {
      auto length = std::string_view("operator").size();
      if (rest.substr(length).starts_with("()")) length += 2;
      while (length < rest.size() && rest[length] != '(') ++length;
      text += rest.substr(0, length);
      i += length - 1;
      continue;
    }
    if (depth == 0 && rest.starts_with(anonymous)) {
      i += anonymous.size() - 1;
      text += one_word;
      continue;
    }
    const char c = name[i];
    has_parameters = has_parameters || c == '(';
    if (c == '(' || c == '<') ++depth;
    if (depth == 0) text += c;
    if ((c == ')' || c == '>') && depth > 0) --depth;
  }
  for (const std::string_view tail : {" const", " volatile", " &", " &&"})
    if (text.ends_with(tail)) text.resize(text.size() - tail.size());
  // Instances of templates are named with the type that they return.
  if (has_parameters && text.find("operator") == std::string::npos) text.erase(0, text.rfind(' ') + 1);
  std::ranges::replace(text, '\x1f', ' ');
  return text.empty() ? std::string(name) : text;
}

std::map<std::string, std::string> short_names(const std::vector<std::string>& names) {
  std::map<std::string, std::string> shorter;
  std::map<std::string, int> uses;
  for (const auto& name : std::set(names.begin(), names.end())) ++uses[short_name(name)];
  for (const auto& name : names) {
    const auto text = short_name(name);
    shorter[name] = uses[text] > 1 ? name : text;
  }
  return shorter;
}

}  // namespace assay::report
