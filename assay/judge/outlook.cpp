#include "assay/judge/outlook.hpp"

#include <algorithm>
#include <cmath>
#include <map>
#include <vector>

#include "assay/judge/findings.hpp"
#include "assay/judge/pairs.hpp"
#include "assay/schedule/forecast.hpp"

namespace assay::judge {
namespace {

constexpr std::size_t fewest_pilots = 3;

/// Mean time of a trial of each cell: of its rounds, else of its check. Programs that ran abreast share their
/// core.
std::map<CellId, double> times_of(const Record& record) {
  const auto wall = std::ranges::find(record.metrics, "wall time", &Metric::name);
  const auto cpu = std::ranges::find(record.metrics, "cpu time", &Metric::name);
  std::map<CellId, std::pair<double, int>> in_rounds, in_checks;
  for (const auto& trial : record.trials) {
    if (trial.role == Role::build || trial.outcome != Outcome::ok) continue;
    const auto time = trial.heat > 0 ? cpu : wall;
    auto& [sum, count] = (trial.round ? in_rounds : in_checks)[trial.cell];
    for (const auto& reading : trial.readings)
      if (reading.metric.place() == static_cast<std::size_t>(time - record.metrics.begin())) {
        sum += reading.value;
        ++count;
      }
  }
  std::map<CellId, double> times;
  for (const auto* part : {&in_rounds, &in_checks})
    for (const auto& [cell, total] : *part)
      if (total.second > 0) times.try_emplace(cell, total.first / total.second);
  return times;
}

Expected as_change(const schedule::Forecast& log_ratio) {
  return {std::expm1(log_ratio.typical), std::expm1(log_ratio.low), std::expm1(log_ratio.high)};
}

Prospect prospect_of(const PairedSeries& series, MetricId metric, double margin, std::size_t rounds,
                     std::size_t findings) {
  Prospect prospect{.of = series.of, .metric = metric, .margin = margin};
  std::vector<double> effects;
  for (std::size_t i = 0; i < series.rounds.size(); ++i)
    effects.push_back(std::log(series.candidate[i] / series.baseline[i]));
  if (std::ranges::all_of(effects, [&](double e) { return e == effects.front(); })) {
    prospect.change = Expected{};
    return prospect;
  }
  const schedule::Wish wish{.findings = findings};
  if (const auto change = schedule::smallest_change(effects, rounds, wish))
    prospect.change = as_change(*change);
  const auto same = schedule::rounds_to_say_same(effects, std::log1p(margin), wish);
  prospect.rounds_to_same = Expected{same.typical, same.low, same.high};
  return prospect;
}

}  // namespace

Outlook look_ahead(const Record& record, Role role, std::optional<double> budget) {
  Outlook outlook{
      .rounds_min = record.info.rounds_min, .rounds_max = record.info.rounds_max, .budget = budget};
  const auto is_twin = [&](CellId id) {
    return record.candidates[record.cells[id.place()].candidate.place()].twin_of.has_value();
  };
  const auto sound = [&](CellId id) { return record.cells[id.place()].standing == Standing::sound; };
  const auto times = times_of(record);
  std::vector<Contrast> open;
  std::map<CellId, double> in_round;
  for (const auto& contrast : record.contrasts) {
    if (!sound(contrast.baseline) || !sound(contrast.candidate)) continue;
    if (!is_twin(contrast.candidate)) open.push_back(contrast);
    for (const auto cell : {contrast.baseline, contrast.candidate}) {
      const auto time = times.find(cell);
      in_round[cell] = time == times.end() ? 0 : time->second;
    }
  }
  outlook.comparisons = open.size();
  outlook.cells = in_round.size();
  for (const auto& [cell, seconds] : in_round) {
    outlook.round_seconds += seconds;
    if (!is_twin(cell)) continue;
    ++outlook.twins;
    outlook.twin_seconds += seconds;
  }
  outlook.rounds = record.info.rounds_max;
  if (budget && outlook.round_seconds > 0)  // the warm-up takes one of them
    outlook.rounds = std::clamp(static_cast<int>(*budget / outlook.round_seconds) - 1, 0, outlook.rounds);
  for (std::size_t m = 0; m < record.metrics.size(); ++m) {
    const auto& metric = record.metrics[m];
    const MetricId id{static_cast<std::int64_t>(m)};
    if (!record.demands[m].watched || metric.scale != Scale::ratio || metric.exact) continue;
    const auto cells = by_cell(evidence_of(record, id, role));
    for (const auto& contrast : open) {
      const auto series = pair_up(contrast, cells);
      const auto positive = [](double v) { return v > 0; };
      if (series.rounds.size() >= fewest_pilots && std::ranges::all_of(series.baseline, positive) &&
          std::ranges::all_of(series.candidate, positive))
        outlook.prospects.push_back(prospect_of(series, id,
                                                record.demands[m].margin.value_or(record.info.margin),
                                                static_cast<std::size_t>(outlook.rounds), open.size()));
    }
  }
  return outlook;
}

}  // namespace assay::judge
