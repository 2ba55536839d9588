#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <optional>
#include <vector>

#include "assay/model/error.hpp"
#include "assay/model/text.hpp"
#include "assay/plan/cells.hpp"

namespace assay::plan {
namespace {

/// NUL ends an argument of a program, so that none contains this.
std::string mark_of(const std::string& name) { return '\0' + name + '\0'; }

constexpr std::string_view byte_prefix = "byte.";

/// The byte that a placeholder's name stands for; empty where it is no such name.
std::optional<char> byte_of(std::string_view name) {
  if (!name.starts_with(byte_prefix)) return {};
  unsigned value = 0;
  const auto digits = name.substr(byte_prefix.size());
  const auto [end, failed] = std::from_chars(digits.data(), digits.data() + digits.size(), value, 16);
  if (failed != std::errc{} || digits.size() != 2 || end != digits.data() + digits.size() || value == 0)
    return {};
  return static_cast<char>(value);
}

}  // namespace

const std::map<std::string, std::string>& trial_placeholders() {
  static const std::map<std::string, std::string> values = {{"port", mark_of("port")}};
  return values;
}

bool is_unbound(const std::string& text, const std::string& name) {
  return text.find(mark_of(name)) != std::string::npos;
}

std::string bind_placeholders(std::string text, const std::string& name, const std::string& value) {
  const auto mark = mark_of(name);
  for (auto at = text.find(mark); at != std::string::npos; at = text.find(mark, at + value.size()))
    text.replace(at, mark.size(), value);
  return text;
}

std::string escape(std::string_view text) {
  std::string out;
  for (std::size_t at = 0; at < text.size();) {
    const auto length = utf8_length(text.substr(at));
    if (length == 0) {
      out += fmt::format("${{{}{:02x}}}", byte_prefix, static_cast<unsigned char>(text[at++]));
      continue;
    }
    if (text.substr(at).starts_with("${")) out += '$';
    out += text.substr(at, length);
    at += length;
  }
  return out;
}

std::span<const std::string> reserved_placeholders() {
  static const std::vector<std::string> names = {"exe",  "out",       "source", "jobs",
                                                 "port", "candidate", "folder"};
  return names;
}

std::string expand(const std::string& text, const std::map<std::string, std::string>& values) {
  std::string out;
  std::size_t at = 0;
  while (true) {
    const auto open = text.find("${", at);
    out.append(text, at, open == std::string::npos ? open : open - at);
    if (open == std::string::npos) return out;
    if (open > at && text[open - 1] == '$') {  // the first $ of "$${" is already there
      out += "{";
      at = open + 2;
      continue;
    }
    const auto close = text.find('}', open);
    if (close == std::string::npos)
      throw Error("\"${\" without \"}\" in \"" + text + "\"", {}, "close it, or write $${ for a literal ${");
    const auto name = text.substr(open + 2, close - open - 2);
    if (const auto byte = byte_of(name)) {
      out += *byte;
      at = close + 1;
      continue;
    }
    const auto value = values.find(name);
    if (value == values.end()) {
      if (std::ranges::count(reserved_placeholders(), name) > 0)
        throw Error("placeholder ${" + name + "} has no value here", {},
                    "${exe}, ${out}, ${source} and ${jobs} need a program or a build, ${port} a command that "
                    "is run for a "
                    "trial");
      std::vector<std::string> known;
      for (const auto& [key, unused] : values) known.push_back(key);
      throw Error("unknown placeholder ${" + name + "}", {}, did_you_mean(name, known));
    }
    out += value->second;
    at = close + 1;
  }
}

}  // namespace assay::plan
