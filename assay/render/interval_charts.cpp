#include <algorithm>
#include <cmath>
#include <string>
#include <utility>
#include <vector>

#include "assay/model/enum_names.hpp"
#include "assay/render/charts.hpp"
#include "assay/report/format.hpp"

namespace assay::render {

using namespace report;  // its words

namespace {

/// A logarithmic axis of ratios between the ends of these rows. Where they are near each other it needs to be
/// given round numbers: left alone it would only name powers and their halves.
ChartJson ratio_axis(const ChartJson& rows) {
  double least = 1, most = 1;
  for (const auto& row : rows) {
    least = std::min(least, row["low"].get<double>());
    most = std::max(most, row["high"].get<double>());
  }
  ChartJson axis = {{"format", "~r"}};
  constexpr double near = 3;
  if (!(most < near * least)) return axis;
  const double rough = (most - least) / 7, power = std::pow(10, std::floor(std::log10(rough)));
  const double step = power * (rough > 5 * power ? 10 : rough > 2 * power ? 5 : rough > power ? 2 : 1);
  axis["values"] = ChartJson::array();
  const auto first = static_cast<int>(std::ceil(least / step)),
             last = static_cast<int>(std::floor(most / step));
  for (int tick = first; tick <= last; ++tick) axis["values"].push_back(tick * step);
  return axis;
}

/// An effect in a chart of intervals.
struct IntervalRow {
  std::string name;
  Effect effect;
  Interval interval;
  std::string verdict;  ///< empty: none was given on it
  std::size_t rounds = 0;
};

/// The effects on one metric, a row each. REQUIRES: there is one.
ChartJson chart_of_intervals(const Metric& metric, const std::vector<IntervalRow>& of) {
  const auto scale = metric.scale;
  const bool ratio = Effect::none(scale).is_ratio();
  double widest = ratio ? 0.02 : 0;  // how far to draw; ends that are unknown are cut there
  for (const auto& row : of)
    for (const double x : {row.interval.low, row.effect.value, row.interval.high})
      if (std::isfinite(x) && is_valid_value(scale, x))
        widest = std::max(widest, Effect{scale, x}.distance());
  const auto shown = [&](double x) {
    const double at = is_valid_value(scale, x) ? Effect{scale, x}.transformed() : -widest;
    return Effect::from_transformed(scale, std::clamp(at, -widest, widest)).value;
  };
  auto rows = ChartJson::array();
  auto order = ChartJson::array();
  for (const auto& row : of) {
    order.push_back(row.name);
    rows.push_back({{"row", row.name},
                    {"low", shown(row.interval.low)},
                    {"effect", shown(row.effect.value)},
                    {"high", shown(row.interval.high)},
                    {"text", effect_text(row.effect, metric.unit) + " (" +
                                 range_text(row.interval, scale, metric.unit) + ")"},
                    {"rounds", row.rounds},
                    {"verdict", row.verdict.empty() ? ChartJson(nullptr) : ChartJson(row.verdict)}});
  }
  const ChartJson y = {{"field", "row"}, {"type", "nominal"}, {"sort", order}, {"title", nullptr}};
  ChartJson x = {{"type", "quantitative"},
                 {"title", ratio ? "change, as a ratio to the baseline" : "change"}};
  x["scale"] = ratio ? ChartJson{{"type", "log"}, {"nice", false}} : ChartJson{{"zero", true}};
  if (ratio) x["axis"] = ratio_axis(rows);
  auto spec = chart_of(of.size(), std::move(rows));
  const auto with_field = [](ChartJson axis, const char* field) {
    axis["field"] = field;
    return axis;
  };
  auto verdicts = ChartJson::array();  // those that the chart has
  for (const auto& row : of)
    if (!row.verdict.empty() && std::ranges::find(verdicts, ChartJson(row.verdict)) == verdicts.end())
      verdicts.push_back(row.verdict);
  const auto by_verdict = [](const char* without, ChartJson scale_of_it, ChartJson legend) {
    return ChartJson{{"condition", {{"test", "datum.verdict === null"}, {"value", without}}},
                     {"field", "verdict"},
                     {"type", "nominal"},
                     {"title", nullptr},
                     {"legend", std::move(legend)},
                     {"scale", std::move(scale_of_it)}};
  };
  const auto colour = by_verdict("INK", "VERDICTS", {{"values", verdicts}});
  const auto shape = by_verdict("circle",
                                {{"domain", {"better", "worse", "same", "unclear"}},
                                 {"range", {"circle", "square", "diamond", "triangle-up"}}},
                                nullptr);
  const ChartJson tooltip = {{{"field", "row"}, {"title", "what"}},
                             {{"field", "text"}, {"title", "change"}},
                             {{"field", "rounds"}},
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
                      {"shape", shape},
                      {"tooltip", tooltip}}}}};
  return spec;
}

IntervalRow row_of(const Findings& all, const Finding& finding) {
  return {row_name(all, all.candidate_cell(finding)), finding.effect, finding.interval,
          to_string(finding.verdict), finding.rounds};
}

}  // namespace

ChartJson interval_chart(const Findings& all, const std::vector<const Finding*>& findings) {
  std::vector<IntervalRow> rows;
  for (const auto* finding : findings) rows.push_back(row_of(all, *finding));
  return chart_of_intervals(all.metric_of(*findings.front()), rows);
}

ChartJson machines_chart(const Findings& all, const std::vector<const Finding*>& findings) {
  std::vector<IntervalRow> rows;
  for (const auto* finding : findings) {
    rows.push_back(row_of(all, *finding));
    const auto name = findings.size() > 1 ? rows.back().name + ", " : "";
    for (const auto& machine : finding->machines) {
      const Interval alone{machine.effect.value, machine.effect.value, 0};
      rows.push_back({name + "machine " + std::to_string(machine.machine), machine.effect,
                      machine.interval.value_or(alone), "", machine.rounds});
    }
  }
  return chart_of_intervals(all.metric_of(*findings.front()), rows);
}

}  // namespace assay::render
