#include "assay/render/charts.hpp"

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

#include "assay/render/prose.hpp"
#include "assay/render/units.hpp"
#include "assay/stats/location.hpp"

namespace assay::render {
namespace {

constexpr const char* dialect = "https://vega.github.io/schema/vega-lite/v5.json";
constexpr std::size_t most_dots = 3000;

std::string row_name(const Findings& all, const Cell& cell) {
  const auto where = cell_text(all, cell);
  return all.candidate(cell).name + (where.empty() ? "" : " on " + where);
}

/// The values of each cell's judged trials with their rounds.
std::map<CellId, std::vector<std::pair<int, double>>> values_of(const Record& record,
                                                                const std::vector<CellId>& cells,
                                                                MetricId metric) {
  const std::set<CellId> wanted(cells.begin(), cells.end());
  std::map<CellId, std::vector<std::pair<int, double>>> values;
  for (const auto& trial : record.trials) {
    if (trial.role != Role::counted || trial.outcome != Outcome::ok || !wanted.contains(trial.cell)) continue;
    for (const auto& reading : trial.readings)
      if (reading.metric == metric) values[trial.cell].emplace_back(trial.round.value_or(0), reading.value);
  }
  return values;
}

std::size_t count(const std::map<CellId, std::vector<std::pair<int, double>>>& values) {
  std::size_t total = 0;
  for (const auto& [cell, of_cell] : values) total += of_cell.size();
  return total;
}

std::vector<double> plain(const std::vector<std::pair<int, double>>& with_rounds) {
  std::vector<double> values;
  for (const auto& [round, value] : with_rounds) values.push_back(value);
  return values;
}

/// Logarithmic where the values span much.
ChartJson scale_for(const std::map<CellId, std::vector<std::pair<int, double>>>& values) {
  constexpr double much = 20;
  double least = INFINITY, most = -INFINITY;
  for (const auto& [cell, of_cell] : values)
    for (const auto& [round, value] : of_cell) {
      least = std::min(least, value);
      most = std::max(most, value);
    }
  if (least > 0 && most > much * least) return {{"type", "log"}, {"nice", false}};
  return {{"zero", false}};
}

ChartJson value_axis(const Metric& metric) {
  const auto title = metric.name + (metric.unit.empty() ? "" : " (" + metric.unit + ")");
  return {{"field", "value"}, {"type", "quantitative"}, {"title", title}, {"scale", {{"zero", false}}}};
}

ChartJson chart(std::size_t rows, ChartJson data) {
  constexpr std::size_t row_height = 24;
  return {{"$schema", dialect},
          {"width", "container"},
          {"autosize", {{"type", "fit-x"}, {"contains", "padding"}}},
          {"height", std::max<std::size_t>(rows, 1) * row_height},
          {"data", {{"values", std::move(data)}}}};
}

}  // namespace

ChartJson interval_chart(const Findings& all, const std::vector<const Finding*>& findings) {
  const bool ratio = all.metric_of(*findings.front()).scale == Scale::ratio;
  const auto& unit = all.metric_of(*findings.front()).unit;
  double widest = ratio ? 0.02 : 0;  // how far to draw; ends that are unknown are cut there
  for (const auto* f : findings)
    for (const double x : {f->interval.low, f->effect, f->interval.high})
      if (std::isfinite(x) && (!ratio || x > 0)) widest = std::max(widest, std::abs(ratio ? std::log(x) : x));
  const auto shown = [&](double x) {
    if (!ratio) return std::clamp(x, -widest, widest);
    return std::exp(std::clamp(x > 0 ? std::log(x) : -widest, -widest, widest));
  };
  auto rows = ChartJson::array();
  auto order = ChartJson::array();
  for (const auto* f : findings) {
    const auto name = row_name(all, all.candidate_of(*f));
    order.push_back(name);
    rows.push_back({{"row", name},
                    {"low", shown(f->interval.low)},
                    {"effect", shown(f->effect)},
                    {"high", shown(f->interval.high)},
                    {"text", effect_text(f->effect, ratio, unit) + " (" +
                                 range_text(f->interval.low, f->interval.high, ratio, unit) + ")"},
                    {"verdict", to_string(f->verdict)}});
  }
  auto spec = chart(findings.size(), std::move(rows));
  const ChartJson y = {{"field", "row"}, {"type", "nominal"}, {"sort", order}, {"title", nullptr}};
  ChartJson x = {{"type", "quantitative"},
                 {"title", ratio ? "change, as a ratio to the baseline" : "change"}};
  x["scale"] = ratio ? ChartJson{{"type", "log"}, {"nice", false}} : ChartJson{{"zero", true}};
  if (ratio) x["axis"] = {{"format", "~r"}};
  const auto with_field = [](ChartJson axis, const char* field) {
    axis["field"] = field;
    return axis;
  };
  const ChartJson colour = {
      {"field", "verdict"}, {"type", "nominal"}, {"scale", "VERDICTS"}, {"title", nullptr}};
  const ChartJson tooltip = {{{"field", "row"}, {"title", "what"}},
                             {{"field", "text"}, {"title", "change"}},
                             {{"field", "verdict"}}};
  spec["layer"] = {{{"mark", {{"type", "rule"}, {"strokeDash", {3, 3}}, {"color", "INK"}}},
                    {"encoding", {{"x", {{"datum", ratio ? 1 : 0}, {"type", "quantitative"}}}}}},
                   {{"mark", {{"type", "rule"}, {"strokeWidth", 2}}},
                    {"encoding",
                     {{"y", y},
                      {"x", with_field(x, "low")},
                      {"x2", {{"field", "high"}}},
                      {"color", colour},
                      {"tooltip", tooltip}}}},
                   {{"mark", {{"type", "point"}, {"filled", true}, {"size", 70}, {"opacity", 1}}},
                    {"encoding",
                     {{"y", y},
                      {"x", with_field(x, "effect")},
                      {"color", colour},
                      {"shape",
                       {{"field", "verdict"},
                        {"type", "nominal"},
                        {"title", nullptr},
                        {"scale",
                         {{"domain", {"better", "worse", "same", "unclear"}},
                          {"range", {"circle", "square", "diamond", "triangle-up"}}}}}},
                      {"tooltip", tooltip}}}}};
  return spec;
}

ChartJson trials_chart(const Findings& all, const Record& record, const std::vector<CellId>& cells,
                       MetricId metric) {
  const auto values = values_of(record, cells, metric);
  const bool dots = count(values) <= most_dots;
  auto rows = ChartJson::array();
  auto order = ChartJson::array();
  for (const auto cell : cells) {
    const auto found = values.find(cell);
    if (found == values.end()) continue;
    const auto name = row_name(all, all.cells[cell.place()]);
    order.push_back(name);
    if (dots) {
      std::size_t i = 0;
      for (const auto& [round, value] : found->second)
        rows.push_back({{"row", name},
                        {"value", value},
                        {"round", round},
                        {"place", static_cast<double>(i++ % 7) / 7 - 0.43}});
    } else {
      const auto plain_values = plain(found->second);
      ChartJson row = {{"row", name}, {"trials", plain_values.size()}};
      for (const auto& [key, p] :
           {std::pair{"q05", 0.05}, {"q25", 0.25}, {"value", 0.5}, {"q75", 0.75}, {"q95", 0.95}})
        row[key] = stats::quantile(plain_values, p);
      rows.push_back(std::move(row));
    }
  }
  auto spec = chart(order.size(), std::move(rows));
  const ChartJson y = {{"field", "row"}, {"type", "nominal"}, {"sort", order}, {"title", nullptr}};
  auto x = value_axis(all.metrics[metric.place()]);
  x["scale"] = scale_for(values);
  if (dots) {
    spec["mark"] = {{"type", "point"}, {"filled", true}, {"size", 28}, {"opacity", 0.7}};
    spec["encoding"] = {
        {"y", y},
        {"x", x},
        {"yOffset", {{"field", "place"}, {"type", "quantitative"}, {"scale", {{"domain", {-1.2, 1.2}}}}}},
        {"tooltip", {{{"field", "row"}, {"title", "what"}}, {{"field", "value"}}, {{"field", "round"}}}}};
    return spec;
  }
  auto from = x, box = x;
  from["field"] = "q05";
  box["field"] = "q25";
  const ChartJson tooltip = {{{"field", "row"}, {"title", "what"}},
                             {{"field", "value"}, {"title", "median"}},
                             {{"field", "trials"}}};
  spec["layer"] = {
      {{"mark", {{"type", "rule"}, {"color", "INK"}}},
       {"encoding", {{"y", y}, {"x", from}, {"x2", {{"field", "q95"}}}}}},
      {{"mark", {{"type", "bar"}, {"height", 12}, {"opacity", 0.5}}},
       {"encoding", {{"y", y}, {"x", box}, {"x2", {{"field", "q75"}}}, {"tooltip", tooltip}}}},
      {{"mark", {{"type", "tick"}, {"thickness", 3}, {"color", "INK"}}}, {"encoding", {{"y", y}, {"x", x}}}}};
  return spec;
}

ChartJson rounds_chart(const Findings& all, const Record& record, const std::vector<CellId>& cells,
                       MetricId metric) {
  auto values = values_of(record, cells, metric);
  const std::size_t total = count(values);
  auto rows = ChartJson::array();
  for (auto& [cell, of_cell] : values) {
    const double typical = stats::median(plain(of_cell));
    if (!(typical > 0)) continue;
    std::ranges::sort(of_cell);
    const auto name = row_name(all, all.cells[cell.place()]);
    const std::size_t bin = std::max<std::size_t>(1, total / most_dots + (total > most_dots ? 1 : 0));
    for (std::size_t i = 0; i < of_cell.size(); i += bin) {
      const auto end = std::min(i + bin, of_cell.size());
      std::vector<double> here;
      for (std::size_t j = i; j < end; ++j) here.push_back(of_cell[j].second);
      rows.push_back({{"row", name}, {"round", of_cell[i].first}, {"share", stats::median(here) / typical}});
    }
  }
  auto spec = chart(1, std::move(rows));
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
  return spec;
}

ChartJson growth_chart(const Findings& all, const std::vector<const Trend*>& trends) {
  auto rows = ChartJson::array();
  for (const auto* trend : trends)
    for (std::size_t i = 0; i < trend->at.size(); ++i)
      rows.push_back({{"candidate", all.candidates[trend->candidate.place()].name},
                      {"at", trend->at[i]},
                      {"value", trend->typical[i]}});
  auto spec = chart(1, std::move(rows));
  spec["height"] = 260;
  spec["mark"] = {{"type", "line"}, {"point", true}};
  auto y = value_axis(all.metrics[trends.front()->metric.place()]);
  y["scale"] = {{"type", "log"}, {"nice", false}};
  spec["encoding"] = {{"x",
                       {{"field", "at"},
                        {"type", "quantitative"},
                        {"title", trends.front()->factor},
                        {"scale", {{"type", "log"}, {"nice", false}}}}},
                      {"y", y},
                      {"color", {{"field", "candidate"}, {"type", "nominal"}, {"title", nullptr}}},
                      {"strokeDash", {{"field", "candidate"}, {"type", "nominal"}, {"title", nullptr}}},
                      {"tooltip",
                       {{{"field", "candidate"}},
                        {{"field", "at"}, {"title", trends.front()->factor}},
                        {{"field", "value"}}}}};
  return spec;
}

}  // namespace assay::render
