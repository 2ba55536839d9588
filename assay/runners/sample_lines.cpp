#include "assay/runners/sample_lines.hpp"

#include <algorithm>
#include <cmath>
#include <map>
#include <nlohmann/json.hpp>
#include <optional>

#include "assay/metrics/catalogue.hpp"
#include "assay/model/text.hpp"
#include "assay/stats/location.hpp"

namespace assay::runners {
namespace {

constexpr std::size_t most_groups = 10'000;  // each would be a cell for every candidate

using Json = nlohmann::json;

/// A level as samples have it; empty for anything else.
std::optional<Level> level_of(const Json& value) {
  if (value.is_boolean()) return Level{value.get<bool>()};
  if (value.is_number_integer()) return Level{value.get<std::int64_t>()};
  if (value.is_number_float()) return Level{value.get<double>()};
  if (value.is_string()) return Level{value.get<std::string>()};
  return {};
}

/// Why a line can't be taken; empty when it can.
std::string what_is_wrong(const Json& line) {
  if (!line.is_object()) return "it is no JSON object";
  for (const char* key : {"candidate", "metric"})
    if (!line.contains(key) || !line[key].is_string()) return std::string("it has no \"") + key + "\"";
  if (!line.contains("value") || !line["value"].is_number() || !std::isfinite(line["value"].get<double>()))
    return "it has no finite \"value\"";
  return {};
}

}  // namespace

ParsedSamples parse_samples(std::string_view lines) {
  ParsedSamples samples;
  std::map<std::string, std::size_t> places;                                      // by setting
  std::map<std::pair<std::size_t, std::string>, std::vector<double>> all_values;  // by part and metric
  std::size_t number = 0;
  while (!lines.empty()) {
    const auto end = std::min(lines.find('\n'), lines.size());
    const auto text = lines.substr(0, end);
    lines.remove_prefix(std::min(end + 1, lines.size()));
    ++number;
    if (text.find_first_not_of(" \t\r") == std::string_view::npos) continue;
    const auto line = Json::parse(text, nullptr, false);
    if (const auto wrong = what_is_wrong(line); !wrong.empty()) {
      samples.problem = "line " + std::to_string(number) + " of its samples can't be taken, " + wrong + ": " +
                        printable_line(std::string(text), 80);
      return samples;
    }
    const auto function = line["candidate"].get<std::string>();
    if (function.ends_with(" (twin)")) continue;
    SampleGroup part;
    part.setting.levels["function"] = function;
    if (const auto setting = line.find("setting"); setting != line.end() && setting->is_object())
      for (const auto& [factor, level] : setting->items())
        if (const auto read = level_of(level)) part.setting.levels.emplace(factor, *read);
    const auto [place, fresh] = places.try_emplace(part.setting.text(), samples.groups.size());
    if (fresh) samples.groups.push_back(std::move(part));
    if (samples.groups.size() > most_groups) {
      samples.problem =
          "its samples have more than " + std::to_string(most_groups) + " functions at their settings";
      samples.groups.clear();
      return samples;
    }
    const auto metric = line["metric"].get<std::string>();
    auto& values = all_values[{place->second, metric}];
    if (values.empty())
      samples.groups[place->second].values.push_back({metric, line.value("unit", std::string{}), 0});
    values.push_back(line["value"].get<double>());
  }
  if (samples.groups.empty())
    samples.problem = "it wrote no samples to the descriptor that ASSAY_SAMPLES names";
  for (std::size_t place = 0; place < samples.groups.size(); ++place)
    for (auto& value : samples.groups[place].values)
      value.value = stats::median(all_values[{place, value.metric}]);
  return samples;
}

Trial trial_from_samples(CellId cell, const Trial& whole, const ParsedSamples& samples,
                         const std::string& setting, const IdTable<MetricId, Metric>& metrics) {
  Trial trial = whole;
  trial.cell = cell;
  trial.readings.clear();
  trial.output_digest.clear();
  if (trial.outcome != Outcome::ok) return trial;
  if (!samples.problem.empty()) {
    trial.outcome = Outcome::failed;
    trial.detail = samples.problem;
    return trial;
  }
  const auto part = std::ranges::find_if(
      samples.groups, [&](const SampleGroup& one) { return one.setting.text() == setting; });
  if (part == samples.groups.end()) {
    trial.outcome = Outcome::unsupported;
    trial.detail = "it has no such function, or not at this setting";
    return trial;
  }
  for (const auto& value : part->values)
    if (const auto id = metrics.find([&](const Metric& m) { return m.name == value.metric; }))
      trial.readings.push_back({*id, value.value});
  return trial;
}

Metric metric_of_samples(const std::string& name, const std::string& unit) {
  if (const auto* known = metrics::find_metric_info(name)) {
    auto metric = known->metric;
    metric.name = name;
    metric.unit = unit;
    return metric;
  }
  return {
      .name = name, .unit = unit, .direction = unit.ends_with("/s") ? Direction::higher : Direction::lower};
}

}  // namespace assay::runners
