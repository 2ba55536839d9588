#include "assay/render/charts.hpp"

#include <algorithm>
#include <cmath>
#include <limits>

#include "assay/model/enum_names.hpp"
#include "assay/report/format.hpp"
#include "assay/report/sentence.hpp"
#include "assay/stats/location.hpp"

namespace assay::render {

using namespace report;  // its words
namespace {

constexpr const char* dialect = "https://vega.github.io/schema/vega-lite/v5.json";

}  // namespace

std::string row_name(const Findings& all, const Cell& cell) {
  const auto where = cell_text(all, cell);
  return all.candidate(cell).name + (where.empty() ? "" : " on " + where);
}

ChartJson value_axis(const Metric& metric) {
  const auto title = metric.name + (metric.unit.empty() ? "" : " (" + metric.unit + ")");
  return {{"field", "value"}, {"type", "quantitative"}, {"title", title}, {"scale", {{"zero", false}}}};
}

double rounded(double value) {
  constexpr double digits = 6;
  if (value == 0 || !std::isfinite(value)) return value;
  const double step = std::pow(10.0, digits - 1 - std::floor(std::log10(std::abs(value))));
  return std::isfinite(step) ? std::round(value * step) / step : value;
}

ChartJson chart_of(std::size_t rows, ChartJson data) {
  constexpr std::size_t row_height = 24;
  return {{"$schema", dialect},
          {"width", "container"},
          {"autosize", {{"type", "fit-x"}, {"contains", "padding"}}},
          {"height", std::max<std::size_t>(rows, 1) * row_height},
          {"data", {{"values", std::move(data)}}}};
}

ChartJson where_chart(const WhereView& view, double baseline) {
  const auto tone = [](const WhereRow& row) {
    if (row.word.starts_with('!')) return "worse";
    if (row.word.starts_with('+')) return "better";
    return row.word.starts_with('=') ? "same" : "unclear";
  };
  auto rows = ChartJson::array();
  auto names = ChartJson::array({view.baseline});
  double at = baseline;
  rows.push_back({{"place", 0}, {"from", rounded(at)}, {"to", rounded(at)}, {"next", 1}});
  for (std::size_t i = 0; i + 1 < view.rows.size(); ++i) {
    const auto& row = view.rows[i];
    names.push_back(row.name);
    ChartJson step = {{"place", i + 1},
                      {"top", static_cast<double>(i) + 0.7},
                      {"bottom", static_cast<double>(i) + 1.3},
                      {"from", rounded(at)},
                      {"to", rounded(at + row.shift)},
                      {"next", i + 2},
                      {"tone", tone(row)},
                      {"name", row.name},
                      {"text", row.change + " (" + row.interval + ")"}};
    if (std::isfinite(row.low) && std::isfinite(row.high)) {
      step["low"] = rounded(at + row.low);
      step["high"] = rounded(at + row.high);
    }
    rows.push_back(std::move(step));
    at += row.shift;
  }
  names.push_back(view.candidate);
  const auto last = names.size() - 1;
  rows.push_back({{"place", last}, {"from", rounded(at)}, {"to", rounded(at)}, {"next", last}});
  auto spec = chart_of(names.size(), std::move(rows));
  auto places = ChartJson::array();
  for (std::size_t i = 0; i < names.size(); ++i) places.push_back(i);
  const ChartJson y_axis = {{"values", places}, {"labelExpr", names.dump() + "[datum.value]"},
                            {"grid", false},    {"ticks", false},
                            {"domain", false},  {"labelOverlap", false}};
  const auto y = [&](const char* field) {
    return ChartJson{
        {"field", field},
        {"type", "quantitative"},
        {"title", nullptr},
        {"axis", y_axis},
        {"scale", {{"domain", {-0.5, static_cast<double>(last) + 0.5}}, {"reverse", true}, {"nice", false}}}};
  };
  const auto x = [&](const char* field) {
    return ChartJson{{"field", field},
                     {"type", "quantitative"},
                     {"title", "cpu time (" + view.unit + ")"},
                     {"axis", {{"tickCount", 8}}},
                     {"scale", {{"zero", false}}}};
  };
  const ChartJson colour = {
      {"field", "tone"}, {"type", "nominal"}, {"scale", "VERDICTS"}, {"legend", nullptr}};
  const ChartJson tooltip = {{{"field", "name"}, {"title", "what"}},
                             {{"field", "text"}, {"title", "change"}}};
  spec["layer"] = {
      {{"mark", {{"type", "rule"}, {"color", "INK"}, {"strokeDash", {2, 2}}}},
       {"encoding", {{"x", x("to")}, {"y", y("place")}, {"y2", {{"field", "next"}}}}}},
      {{"mark", {{"type", "bar"}, {"opacity", 0.75}}},
       {"transform", {{{"filter", "isValid(datum.top)"}}}},
       {"encoding",
        {{"x", x("from")},
         {"x2", {{"field", "to"}}},
         {"y", y("top")},
         {"y2", {{"field", "bottom"}}},
         {"color", colour},
         {"tooltip", tooltip}}}},
      {{"mark", {{"type", "rule"}, {"color", "INK"}, {"strokeWidth", 2}}},
       {"transform", {{{"filter", "isValid(datum.low)"}}}},
       {"encoding", {{"x", x("low")}, {"x2", {{"field", "high"}}}, {"y", y("place")}, {"tooltip", tooltip}}}},
      {{"mark", {{"type", "tick"}, {"color", "INK"}, {"thickness", 3}, {"size", 16}, {"orient", "vertical"}}},
       {"transform", {{{"filter", "!isValid(datum.top)"}}}},
       {"encoding", {{"x", x("to")}, {"y", y("place")}}}}};
  return spec;
}

ChartJson growth_chart(const Findings& all, const std::vector<const ScalingCurve*>& trends) {
  const bool threads = !trends.front()->throughput.empty();
  auto rows = ChartJson::array();
  for (const auto* trend : trends)
    for (std::size_t i = 0; i < trend->at.size(); ++i)
      rows.push_back({{"candidate", all.design.candidates[trend->candidate].name},
                      {"at", trend->at[i]},
                      {"value", threads ? trend->throughput[i] : trend->typical[i]}});
  auto spec = chart_of(1, std::move(rows));
  spec["height"] = 260;
  spec["mark"] = {{"type", "line"}, {"point", true}};
  auto y = value_axis(all.design.metrics[trends.front()->metric]);
  ChartJson scale = {{"type", "log"}, {"nice", false}};
  if (threads) {
    scale = {{"zero", true}};
    y["title"] = "throughput, with " + number_text(trends.front()->at.front()) + " as 1";
  }
  y["scale"] = scale;
  spec["encoding"] = {{"x",
                       {{"field", "at"},
                        {"type", "quantitative"},
                        {"title", trends.front()->factor},
                        {"axis", {{"values", trends.front()->at}}},
                        {"scale", scale}}},
                      {"y", y},
                      {"color", {{"field", "candidate"}, {"type", "nominal"}, {"title", nullptr}}},
                      {"strokeDash", {{"field", "candidate"}, {"type", "nominal"}, {"title", nullptr}}},
                      {"tooltip",
                       {{{"field", "candidate"}},
                        {{"field", "at"}, {"title", trends.front()->factor}},
                        {{"field", "value"}}}}};
  return spec;
}

ChartJson typical_chart(const Findings& all, const Observations& evidence, MetricId metric,
                        const std::vector<CellId>& cells) {
  constexpr double much = 20;
  auto rows = ChartJson::array(), order = ChartJson::array(), settings_in_order = ChartJson::array();
  double least = std::numeric_limits<double>::infinity(), most = 0;
  bool settings = false;
  for (const auto& candidate : all.design.candidates)
    if (!candidate.twin_of) order.push_back(candidate.name);
  for (const auto id : cells) {
    const auto& series = evidence.values_of(metric, id);
    if (series.empty()) continue;
    const auto plain = values_of(series);
    const double typical = stats::median(plain);
    const auto setting = all.design.cells[id].setting.text();
    settings = settings || !setting.empty();
    if (std::find(settings_in_order.begin(), settings_in_order.end(), setting) == settings_in_order.end())
      settings_in_order.push_back(setting);
    least = std::min(least, std::ranges::min(plain));
    most = std::max(most, std::ranges::max(plain));
    rows.push_back({{"candidate", all.design.candidate_of(id).name},
                    {"setting", setting},
                    {"value", rounded(typical)},
                    {"low", rounded(stats::quantile(plain, 0.05))},
                    {"high", rounded(stats::quantile(plain, 0.95))}});
  }
  auto spec = chart_of(1, std::move(rows));
  spec["height"] = 220;
  const ChartJson x = {{"field", "candidate"},
                       {"type", "nominal"},
                       {"sort", order},
                       {"title", nullptr},
                       {"axis", {{"labelAngle", 0}, {"labelLimit", 120}}}};
  const auto y_of = [&](const char* field) {
    auto y = value_axis(all.design.metrics[metric]);
    y["field"] = field;
    if (least > 0 && most > much * least) y["scale"] = {{"type", "log"}, {"nice", false}};
    return y;
  };
  ChartJson range = {{"x", x}, {"y", y_of("low")}, {"y2", {{"field", "high"}}}};
  ChartJson line = {{"x", x},
                    {"y", y_of("value")},
                    {"tooltip",
                     {{{"field", "candidate"}},
                      {{"field", "setting"}},
                      {{"field", "value"}, {"title", "median"}},
                      {{"field", "low"}, {"title", "5 %"}},
                      {{"field", "high"}, {"title", "95 %"}}}}};
  if (settings) {
    const ChartJson colour = {
        {"field", "setting"}, {"type", "nominal"}, {"title", nullptr}, {"sort", settings_in_order}};
    range["color"] = line["color"] = colour;
  }
  spec["layer"] = {
      {{"mark", {{"type", "rule"}, {"strokeWidth", 3}, {"opacity", 0.4}}}, {"encoding", range}},
      {{"mark", {{"type", "line"}, {"strokeWidth", 1}, {"opacity", 0.6}, {"point", {{"size", 60}}}}},
       {"encoding", line}}};
  return spec;
}

ChartJson decile_chart(const Findings& all, MetricId metric, WorkloadId workload) {
  auto rows = ChartJson::array();
  for (const auto& f : all.findings) {
    const auto& cell = all.candidate_cell(f);
    if (f.metric != metric || cell.workload != workload || all.design.is_twin(f.comparison.candidate))
      continue;
    const auto setting = cell.setting.text();
    for (const auto& decile : f.deciles)
      rows.push_back({{"candidate", all.candidate(cell).name + (setting.empty() ? "" : ", " + setting)},
                      {"decile", std::lround(10 * decile.at)},
                      {"change", rounded(decile.candidate / decile.baseline - 1)}});
  }
  auto spec = chart_of(1, std::move(rows));
  spec["height"] = 200;
  spec["mark"] = {{"type", "line"}, {"point", {{"size", 20}}}, {"strokeWidth", 1.5}};
  spec["encoding"] = {
      {"x",
       {{"field", "decile"},
        {"type", "quantitative"},
        {"title", "decile of the runs"},
        {"axis", {{"values", {1, 2, 3, 4, 5, 6, 7, 8, 9}}, {"format", "d"}}},
        {"scale", {{"domain", {1, 9}}}}}},
      {"y",
       {{"field", "change"},
        {"type", "quantitative"},
        {"title", "change of " + all.design.metrics[metric].name},
        {"axis", {{"format", "+.1%"}}}}},
      {"color", {{"field", "candidate"}, {"type", "nominal"}, {"title", nullptr}}},
      {"tooltip",
       {{{"field", "candidate"}}, {{"field", "decile"}}, {{"field", "change"}, {"format", "+.2%"}}}}};
  return spec;
}

}  // namespace assay::render
