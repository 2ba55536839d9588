#include "assay/check/extract.hpp"

#include <re2/re2.h>

#include <algorithm>
#include <charconv>
#include <cmath>
#include <nlohmann/json.hpp>
#include <numeric>

#include "assay/check/output.hpp"
#include "assay/codec/json.hpp"
#include "assay/model/text.hpp"
#include "assay/stats/location.hpp"

namespace assay::check {
namespace {

std::string where(const PlannedMetric& metric) {
  return metric.metric.name + ": " + (metric.from == "stdout" || metric.from == "stderr" ? "" : "in ") +
         metric.from;
}

std::optional<double> number_in(std::string_view word) {
  while (!word.empty() && (word.front() == ' ' || word.front() == '+')) word.remove_prefix(1);
  while (!word.empty() && word.back() == ' ') word.remove_suffix(1);
  double value = 0;
  const auto [end, failed] = std::from_chars(word.data(), word.data() + word.size(), value);
  if (failed != std::errc{} || end != word.data() + word.size() || !std::isfinite(value)) return {};
  return value;
}

struct Groups {
  int value = 1, at = 0;  ///< numbers; 0: none
};

Groups groups_of(const RE2& pattern) {
  const auto& named = pattern.NamedCapturingGroups();
  const auto at = named.find("at");
  if (at == named.end()) return {};
  return {.value = at->second == 1 ? 2 : 1, .at = at->second};
}

Extracted by_pattern(const PlannedMetric& metric, std::string_view text) {
  const RE2 pattern("(?m)" + metric.pattern, RE2::Quiet);
  const auto groups = groups_of(pattern);
  Extracted found;
  const re2::StringPiece all(text.data(), text.size());
  std::size_t from = 0;
  re2::StringPiece match[3];
  while (from <= text.size() && pattern.Match(all, from, text.size(), RE2::UNANCHORED, match, 3)) {
    const auto word = std::string_view(match[groups.value].data(), match[groups.value].size());
    const auto value = number_in(word);
    if (!value) {
      found.problem =
          where(metric) + " its pattern found \"" + printable_line(word, 30) + "\", which is not a number";
      return found;
    }
    Match one{.value = *value};
    if (groups.at > 0) one.at = number_in({match[groups.at].data(), match[groups.at].size()});
    found.occurrences.push_back(one);
    const auto end = static_cast<std::size_t>(match[0].data() + match[0].size() - text.data());
    from = match[0].empty() ? end + 1 : end;
  }
  if (found.occurrences.empty())
    found.problem = where(metric) + " nothing matches its pattern, " + output_summary(text);
  return found;
}

Extracted by_pointer(const PlannedMetric& metric, std::string_view text) {
  Extracted found;
  const auto document = codec::parse_json(text);
  const auto problem = [&](const std::string& what) {
    found = {.problem = where(metric) + " " + what, .occurrences = {}};
    return found;
  };
  if (!document) return problem("is not JSON, " + output_summary(text));
  const nlohmann::json::json_pointer pointer(metric.json);
  bool there_is = false;
  try {
    there_is = document->contains(pointer);
  } catch (const nlohmann::json::exception&) {  // a name where the document has a list
  }
  if (!there_is) return problem("has nothing at " + metric.json + ", " + output_summary(text));
  const auto& there = document->at(pointer);
  const auto list = there.is_array() ? there : nlohmann::json::array({there});
  for (const auto& item : list) {
    if (!item.is_number()) return problem("has something at " + metric.json + " that is not a number");
    found.occurrences.push_back({.at = {}, .value = item.get<double>()});
  }
  if (found.occurrences.empty()) return problem("has an empty list at " + metric.json);
  return found;
}

}  // namespace

Extracted extract(const PlannedMetric& metric, std::string_view text) {
  return metric.json.empty() ? by_pattern(metric, text) : by_pointer(metric, text);
}

std::vector<Match> drop_lead_in(const LeadIn& lead_in, const std::vector<Match>& occurrences) {
  std::vector<Match> later;
  std::int64_t place = 0;
  for (const auto& one : occurrences)
    if (place++ >= lead_in.values && !(one.at && *one.at < lead_in.seconds)) later.push_back(one);
  return later;
}

double pick_one(const Aggregate& pick, const std::vector<Match>& occurrences) {
  std::vector<double> values;
  for (const auto& one : occurrences) values.push_back(one.value);
  switch (pick.kind) {
    case Aggregate::Kind::first:
      return values.front();
    case Aggregate::Kind::last:
      return values.back();
    case Aggregate::Kind::min:
      return *std::ranges::min_element(values);
    case Aggregate::Kind::max:
      return *std::ranges::max_element(values);
    case Aggregate::Kind::mean:
      return stats::mean(values);
    case Aggregate::Kind::sum:
      return std::accumulate(values.begin(), values.end(), 0.0);
    case Aggregate::Kind::median:
      return stats::median(values);
    default:
      return stats::quantile(values, pick.probability);
  }
}

std::string pointer_error(const std::string& text) {
  if (!text.empty() && text.front() != '/') return "a JSON pointer begins with /, like /stats/rate";
  for (std::size_t i = 0; i < text.size(); ++i)
    if (text[i] == '~' && (i + 1 == text.size() || (text[i + 1] != '0' && text[i + 1] != '1')))
      return "in a JSON pointer ~ is written ~0, and / within a name ~1";
  return {};
}

bool has_time_group(const std::string& text) {
  return RE2("(?m)" + text, RE2::Quiet).NamedCapturingGroups().contains("at");
}

std::string pattern_error(const std::string& text) {
  const RE2 pattern("(?m)" + text, RE2::Quiet);
  if (!pattern.ok()) return "pattern is not a regular expression: " + pattern.error();
  const int groups = pattern.NumberOfCapturingGroups();
  const bool timed = pattern.NamedCapturingGroups().contains("at");
  if (groups != (timed ? 2 : 1))
    return "pattern has " + std::to_string(groups) +
           " groups; it needs one for the value, and may have one "
           "named at for the time";
  return {};
}

}  // namespace assay::check
