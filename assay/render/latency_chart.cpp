#include <array>
#include <cmath>
#include <map>
#include <set>

#include "assay/metrics/catalogue.hpp"
#include "assay/model/observations.hpp"
#include "assay/render/charts.hpp"
#include "assay/stats/location.hpp"
#include "assay/stats/log_histogram.hpp"

namespace assay::render {
namespace {

struct Latencies {
  stats::LogHistogram right;
  double failed = 0;  ///< requests
};

std::map<CellId, Latencies> gather(const Record& record) {
  const auto id = metrics::find(record.design.metrics, metrics::MetricKind::failed_requests);
  const auto whole = complete_rounds(record.log);
  std::map<CellId, Latencies> all;
  for (const auto& trial : record.log.trials) {
    if (trial.latencies.empty() || trial.role != Role::measured || trial.outcome != Outcome::ok ||
        (trial.round && !whole.contains(*trial.round)))
      continue;
    auto& its = all[trial.cell];
    its.right.merge(stats::LogHistogram::of_text(trial.latencies));
    for (const auto& reading : trial.readings)
      if (id && reading.metric == *id) its.failed += reading.value / 100 * static_cast<double>(trial.calls);
  }
  return all;
}

/// The candidates in the plan's order, each with a colour and a dash of its own.
ChartJson by_candidate(const Findings& all) {
  auto order = ChartJson::array();
  for (const auto& candidate : all.design.candidates)
    if (!candidate.twin_of) order.push_back(candidate.name);
  return {{"field", "candidate"}, {"type", "nominal"}, {"title", nullptr}, {"sort", std::move(order)}};
}

/// The same, which another legend describes.
ChartJson undescribed(ChartJson encoding) {
  encoding["legend"] = nullptr;
  return encoding;
}

}  // namespace

ChartJson latency_chart(const Findings& all, const Record& record, const std::vector<CellId>& cells) {
  constexpr std::array shares = {
      0.99,  0.9,  0.75,  0.5,    0.25,  0.1,    0.05,
      0.025, 0.01, 0.005, 0.0025, 0.001, 0.0005, 0.0001};  // of the requests that are slower
  constexpr double fewest_above = 10;
  const auto latencies = gather(record);
  auto rows = ChartJson::array();
  for (const auto cell : cells) {
    const auto found = latencies.find(cell);
    if (found == latencies.end()) continue;
    const auto& [right, failed] = found->second;
    const double count = static_cast<double>(right.count()) + failed;
    for (const double slower : shares) {
      if (slower * count < fewest_above) break;
      const auto value = right.quantile(1 - slower, static_cast<std::uint64_t>(std::llround(failed)));
      if (!value) break;
      rows.push_back({{"candidate", all.design.candidate_of(cell).name},
                      {"slower", slower},
                      {"quantile", "p" + to_string(Level{rounded(100 * (1 - slower))})},
                      {"value", rounded(1000 * *value)}});
    }
  }
  auto spec = chart_of(1, std::move(rows));
  spec["height"] = 260;
  spec["mark"] = {{"type", "line"}, {"point", {{"size", 16}}}, {"strokeWidth", 1.5}};
  spec["encoding"] = {
      {"x",
       {{"field", "slower"},
        {"type", "quantitative"},
        {"title", "quantile of the requests"},
        {"sort", "descending"},
        {"axis",
         {{"values", {0.9, 0.5, 0.1, 0.01, 0.001, 0.0001}},
          {"labelExpr", "'p' + format(100 * (1 - datum.value), '.4~r')"}}},
        {"scale", {{"type", "log"}, {"nice", false}}}}},
      {"y",
       {{"field", "value"},
        {"type", "quantitative"},
        {"title", "latency (ms)"},
        {"scale", {{"type", "log"}, {"nice", false}}}}},
      {"color", by_candidate(all)},
      {"strokeDash", undescribed(by_candidate(all))},
      {"tooltip",
       {{{"field", "candidate"}}, {{"field", "quantile"}}, {{"field", "value"}, {"title", "ms"}}}}};
  return spec;
}

ChartJson sweep_chart(const Findings& all, const Observations& evidence, MetricId metric,
                      const std::string& factor, const std::vector<CellId>& cells) {
  auto rows = ChartJson::array();
  std::set<double> levels;
  for (const auto id : cells) {
    const auto& cell = all.design.cells[id];
    const auto level = cell.setting.levels.find(factor);
    const auto& series = evidence.values_of(metric, id);
    if (series.empty() || level == cell.setting.levels.end()) continue;
    const auto at = number_of(level->second);
    if (!at) continue;
    levels.insert(*at);
    auto others = cell.setting;
    others.levels.erase(factor);
    const auto where = others.text();
    rows.push_back({{"candidate", all.design.candidate_of(id).name + (where.empty() ? "" : ", " + where)},
                    {"at", *at},
                    {"value", rounded(stats::median(values_of(series)))}});
  }
  auto spec = chart_of(1, std::move(rows));
  spec["height"] = 220;
  spec["mark"] = {{"type", "line"}, {"point", true}, {"strokeWidth", 1.5}};
  const ChartJson logarithmic = {{"type", "log"}, {"nice", false}};
  auto y = value_axis(all.design.metrics[metric]);
  y["scale"] = logarithmic;
  spec["encoding"] = {
      {"x",
       {{"field", "at"},
        {"type", "quantitative"},
        {"title", factor},
        {"axis", {{"values", std::vector<double>(levels.begin(), levels.end())}}},
        {"scale", logarithmic}}},
      {"y", y},
      {"color", by_candidate(all)},
      {"strokeDash", undescribed(by_candidate(all))},
      {"tooltip", {{{"field", "candidate"}}, {{"field", "at"}, {"title", factor}}, {{"field", "value"}}}}};
  return spec;
}

}  // namespace assay::render
