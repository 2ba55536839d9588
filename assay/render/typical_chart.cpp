#include "assay/render/typical_chart.hpp"

#include <algorithm>
#include <cmath>
#include <limits>

#include "assay/stats/location.hpp"

namespace assay::render {

ChartJson typical_chart(const Findings& all, const TrialValues& values, MetricId metric,
                        const std::vector<CellId>& cells) {
  constexpr double much = 20;
  auto rows = ChartJson::array(), order = ChartJson::array(), settings_in_order = ChartJson::array();
  double least = std::numeric_limits<double>::infinity(), most = 0;
  bool settings = false;
  for (const auto& candidate : all.design.candidates)
    if (!candidate.twin_of) order.push_back(candidate.name);
  for (const auto id : cells) {
    const auto& series = values.of(metric, id);
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
