#include "assay/render/trial_charts.hpp"

#include <algorithm>
#include <cmath>
#include <limits>

#include "assay/report/units.hpp"
#include "assay/stats/location.hpp"

namespace assay::render {

using namespace report;  // its words
namespace {

constexpr std::size_t most_dots = 2000;  // of one chart: more can't be told apart

}  // namespace

std::string TrialCharts::key_of(CellId cell, MetricId metric) {
  auto key = std::to_string(metric.value) + "/" + std::to_string(cell.value);
  if (values_.contains(key)) return key;
  const auto& series = trials_.of(metric, cell);
  const auto plain = values_of(series);
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
    const auto& series = trials_.of(metric, cell);
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
  for (const auto cell : cells) total += trials_.of(metric, cell).size();
  const std::size_t bin = (total + most_dots - 1) / most_dots;
  auto lines = ChartJson::array();
  for (const auto cell : cells) {
    auto series = trials_.of(metric, cell);
    if (series.empty()) continue;
    const double typical = stats::median(values_of(series));
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

}  // namespace assay::render
