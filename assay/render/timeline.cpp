#include "assay/render/timeline.hpp"

#include <algorithm>
#include <map>
#include <optional>
#include <utility>

#include "assay/model/pick.hpp"
#include "assay/stats/location.hpp"

namespace assay::render {
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
  if (metric.request.discard.empty()) return {};
  const auto lead_in = parse_discard(metric.request.discard);
  if (timed != (lead_in.seconds > 0)) return {};
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
