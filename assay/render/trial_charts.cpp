#include <algorithm>
#include <cmath>
#include <limits>
#include <map>
#include <optional>
#include <utility>

#include "assay/metrics/catalogue.hpp"
#include "assay/model/metric.hpp"
#include "assay/model/observations.hpp"
#include "assay/render/charts.hpp"
#include "assay/report/format.hpp"
#include "assay/stats/location.hpp"

namespace assay::render {

using namespace report;  // its words
namespace {

constexpr std::size_t most_dots = 2000;  // of one chart: more can't be distinguished

}  // namespace

std::string TrialCharts::key_of(CellId cell, MetricId metric) {
  auto key = std::to_string(metric.value) + "/" + std::to_string(cell.value);
  if (values_.contains(key)) return key;
  const auto& series = evidence_.values_of(metric, cell);
  const auto plain = model::values_of(series);
  auto& entry = values_[key];
  entry["trials"] = plain.size();
  for (const auto& [name, p] :
       {std::pair{"q05", 0.05}, {"q25", 0.25}, {"value", 0.5}, {"q75", 0.75}, {"q95", 0.95}})
    entry[name] = rounded(stats::quantile(plain, p));
  if (plain.size() > most_dots) return key;
  auto all = ChartJson::array(), rounds = ChartJson::array();
  for (const auto& [round, value] : series) {
    all.push_back(rounded(value));
    rounds.push_back(round);
  }
  entry["all"] = std::move(all);
  entry["rounds"] = std::move(rounds);
  return key;
}

std::string TrialCharts::form_of(MetricId metric, bool dots, bool logarithmic) {
  auto name =
      std::to_string(metric.value) + (dots ? " dots" : " boxes") + (logarithmic ? " logarithmic" : "");
  if (forms_.contains(name)) return name;
  auto spec = chart_of(1, ChartJson::array());
  const ChartJson y = {{"field", "row"}, {"type", "nominal"}, {"sort", nullptr}, {"title", nullptr}};
  auto x = value_axis(all_.design.metrics[metric]);
  if (logarithmic) x["scale"] = {{"type", "log"}, {"nice", false}};
  if (dots) {
    spec["mark"] = {{"type", "point"}, {"filled", true}, {"size", 28}, {"opacity", 0.7}};
    spec["encoding"] = {
        {"y", y},
        {"x", x},
        {"yOffset", {{"field", "place"}, {"type", "quantitative"}, {"scale", {{"domain", {-1.2, 1.2}}}}}},
        {"tooltip", {{{"field", "row"}, {"title", "what"}}, {{"field", "value"}}, {{"field", "round"}}}}};
  } else {
    auto from = x, box = x;
    from["field"] = "q05";
    box["field"] = "q25";
    const ChartJson tooltip = {{{"field", "row"}, {"title", "what"}},
                               {{"field", "value"}, {"title", "median"}},
                               {{"field", "trials"}}};
    spec["layer"] = {{{"mark", {{"type", "rule"}, {"color", "INK"}}},
                      {"encoding", {{"y", y}, {"x", from}, {"x2", {{"field", "q95"}}}}}},
                     {{"mark", {{"type", "bar"}, {"height", 12}, {"opacity", 0.5}}},
                      {"encoding", {{"y", y}, {"x", box}, {"x2", {{"field", "q75"}}}, {"tooltip", tooltip}}}},
                     {{"mark", {{"type", "tick"}, {"thickness", 3}, {"color", "INK"}}},
                      {"encoding", {{"y", y}, {"x", x}}}}};
  }
  forms_[name] = std::move(spec);
  return name;
}

ChartJson TrialCharts::in_rows(const std::vector<CellId>& cells, MetricId metric) {
  constexpr double much = 20;
  std::size_t total = 0;
  double least = std::numeric_limits<double>::infinity(), most = -std::numeric_limits<double>::infinity();
  auto rows = ChartJson::array();
  for (const auto cell : cells) {
    const auto& series = evidence_.values_of(metric, cell);
    if (series.empty()) continue;
    total += series.size();
    for (const auto& [round, value] : series) {
      least = std::min(least, value);
      most = std::max(most, value);
    }
    rows.push_back({row_name(all_, all_.design.cells[cell]), key_of(cell, metric)});
  }
  const bool logarithmic = least > 0 && most > much * least;
  return {{"form", form_of(metric, total <= most_dots, logarithmic)}, {"rows", std::move(rows)}};
}

ChartJson TrialCharts::over_rounds(const std::vector<CellId>& cells, MetricId metric) const {
  std::size_t total = 0;
  for (const auto cell : cells) total += evidence_.values_of(metric, cell).size();
  const std::size_t bin = (total + most_dots - 1) / most_dots;
  auto lines = ChartJson::array();
  for (const auto cell : cells) {
    auto series = evidence_.values_of(metric, cell);
    if (series.empty()) continue;
    const double typical = stats::median(model::values_of(series));
    if (!(typical > 0)) continue;
    std::ranges::sort(series);
    auto rounds = ChartJson::array(), shares = ChartJson::array();
    for (std::size_t i = 0; i < series.size(); i += bin) {
      const auto end = std::min(i + bin, series.size());
      std::vector<double> here;
      for (std::size_t j = i; j < end; ++j) here.push_back(series[j].second);
      rounds.push_back(series[i].first);
      shares.push_back(rounded(stats::median(here) / typical));
    }
    lines.push_back({{"row", row_name(all_, all_.design.cells[cell])},
                     {"round", std::move(rounds)},
                     {"share", std::move(shares)}});
  }
  auto spec = chart_of(1, ChartJson::array());
  spec["height"] = 200;
  spec["mark"] = {{"type", "line"}, {"strokeWidth", 1}, {"opacity", 0.8}, {"point", {{"size", 10}}}};
  spec["encoding"] = {
      {"x", {{"field", "round"}, {"type", "quantitative"}, {"title", "round"}}},
      {"y",
       {{"field", "share"},
        {"type", "quantitative"},
        {"title", "share of the typical value"},
        {"scale", {{"zero", false}}}}},
      {"color", {{"field", "row"}, {"type", "nominal"}, {"title", nullptr}}},
      {"tooltip", {{{"field", "row"}, {"title", "what"}}, {{"field", "round"}}, {{"field", "share"}}}}};
  return {{"spec", std::move(spec)}, {"lines", std::move(lines)}};
}

namespace {

constexpr std::size_t most_parts = 200;

/// A cell's points over all trials, by time or place.
using Points = std::vector<std::pair<double, double>>;

struct Gathered {
  std::map<CellId, Points> points;
  bool timed = true;
  double last = 0;          ///< time or place
  std::size_t longest = 0;  ///< values of one trial
};

Gathered gather(const Observations& evidence, MetricId metric, const std::vector<CellId>& cells) {
  Gathered all;
  const auto is_wanted = [&](const Trial* trial) { return std::ranges::count(cells, trial->cell) > 0; };
  for (const auto* trial : evidence.with_series())
    for (const auto& point : trial->series)
      if (point.metric == metric && is_wanted(trial)) all.timed = all.timed && point.at.has_value();
  for (const auto* trial : evidence.with_series()) {
    if (!is_wanted(trial)) continue;
    std::size_t place = 0;
    for (const auto& point : trial->series) {
      if (point.metric != metric) continue;
      const double at = all.timed ? *point.at : static_cast<double>(place);
      ++place;
      all.points[trial->cell].emplace_back(at, point.value);
      all.last = std::max(all.last, at);
    }
    all.longest = std::max(all.longest, place);
  }
  return all;
}

void add_line(const std::string& name, const Points& points, std::size_t parts, double last,
              ChartJson& rows) {
  std::vector<std::vector<double>> values(parts);
  for (const auto& [at, value] : points) {
    const double share = last > 0 ? std::clamp(at / last, 0.0, 1.0) : 0;
    values[std::min(parts - 1, static_cast<std::size_t>(share * static_cast<double>(parts)))].push_back(
        value);
  }
  for (std::size_t i = 0; i < parts; ++i) {
    if (values[i].empty()) continue;
    rows.push_back({{"row", name},
                    {"at", rounded(last * (static_cast<double>(i) + 0.5) / static_cast<double>(parts))},
                    {"value", rounded(stats::median(values[i]))},
                    {"low", rounded(stats::quantile(values[i], 0.1))},
                    {"high", rounded(stats::quantile(values[i], 0.9))}});
  }
}

/// Where the lead-in ends, on the chart's axis.
std::optional<double> end_of_lead_in(const Metric& metric, bool timed) {
  const auto& lead_in = metric.request.lead_in;
  if (lead_in.none() || timed != (lead_in.seconds > 0)) return {};
  return timed ? lead_in.seconds : static_cast<double>(lead_in.values);
}

}  // namespace

ChartJson timeline_chart(const Findings& all, const Observations& evidence, MetricId id,
                         const std::vector<CellId>& cells) {
  const auto& metric = all.design.metrics[id];
  const auto gathered = gather(evidence, id, cells);
  const auto parts = std::clamp<std::size_t>(gathered.longest / 2, 1, most_parts);
  auto rows = ChartJson::array();
  for (const auto cell : cells)
    if (const auto found = gathered.points.find(cell); found != gathered.points.end())
      add_line(all.design.candidate_of(cell).name, found->second, parts, gathered.last, rows);
  auto spec = chart_of(1, std::move(rows));
  spec["height"] = 240;
  const ChartJson x = {
      {"field", "at"},
      {"type", "quantitative"},
      {"title", gathered.timed ? "seconds since the trial's start" : "value of the trial, in order"}};
  const ChartJson colour = {{"field", "row"}, {"type", "nominal"}, {"title", nullptr}};
  auto low = value_axis(metric);
  low["field"] = "low";
  spec["layer"] = {{{"mark", {{"type", "area"}, {"opacity", 0.18}}},
                    {"encoding", {{"x", x}, {"y", low}, {"y2", {{"field", "high"}}}, {"color", colour}}}},
                   {{"mark", {{"type", "line"}, {"strokeWidth", 1.5}}},
                    {"encoding",
                     {{"x", x},
                      {"y", value_axis(metric)},
                      {"color", colour},
                      {"strokeDash", {{"field", "row"}, {"type", "nominal"}, {"legend", nullptr}}},
                      {"tooltip",
                       {{{"field", "row"}, {"title", "what"}},
                        {{"field", "at"}},
                        {{"field", "value"}, {"title", "median"}},
                        {{"field", "low"}, {"title", "10 %"}},
                        {{"field", "high"}, {"title", "90 %"}}}}}}}};
  if (const auto end = end_of_lead_in(metric, gathered.timed))
    spec["layer"].push_back({{"mark", {{"type", "rule"}, {"strokeDash", {4, 4}}, {"color", "INK"}}},
                             {"encoding", {{"x", {{"datum", *end}, {"type", "quantitative"}}}}}});
  return spec;
}

}  // namespace assay::render
