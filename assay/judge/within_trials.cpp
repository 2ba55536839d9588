#include "assay/judge/within_trials.hpp"

#include <algorithm>
#include <cmath>
#include <map>
#include <optional>
#include <span>
#include <utility>

#include "assay/judge/paired_test.hpp"
#include "assay/model/metric.hpp"
#include "assay/model/plan.hpp"
#include "assay/stats/location.hpp"
#include "assay/stats/random.hpp"

namespace assay::judge {
namespace {

constexpr std::size_t parts = 20;  ///< that a trial is split into

/// A metric's series in one trial.
struct Series {
  std::vector<double> at;  ///< seconds; empty where any value has none
  std::vector<double> values;

  double length() const { return at.empty() ? static_cast<double>(values.size()) : at.back(); }
};

/// By cell and metric, a series for each judged trial.
using AllSeries = std::map<std::pair<CellId, MetricId>, std::vector<Series>>;

AllSeries gather(const Observations& evidence) {
  AllSeries all;
  for (const auto* trial : evidence.with_series()) {
    std::map<MetricId, Series> of_trial;
    std::map<MetricId, bool> timed;
    for (const auto& point : trial->series) {
      auto& series = of_trial[point.metric];
      auto& has_times = timed.try_emplace(point.metric, true).first->second;
      has_times = has_times && point.at && *point.at >= (series.at.empty() ? 0 : series.at.back());
      if (has_times) series.at.push_back(*point.at);
      series.values.push_back(point.value);
    }
    for (auto& [metric, series] : of_trial) {
      if (!timed[metric]) series.at.clear();
      all[{trial->cell, metric}].push_back(std::move(series));
    }
  }
  return all;
}

/// Its values without those that the metric's lead-in leaves out.
std::span<const double> after(const LeadIn& lead_in, const Series& series) {
  std::size_t from = std::min(static_cast<std::size_t>(lead_in.values), series.values.size());
  while (from < series.at.size() && series.at[from] < lead_in.seconds) ++from;
  return std::span(series.values).subspan(from);
}

std::optional<WithinTrialSpread> spread_of(const std::vector<Series>& trials, const LeadIn& lead_in) {
  constexpr std::size_t fewest = 5;
  std::vector<double> low, high;
  for (const auto& series : trials) {
    const auto values = after(lead_in, series);
    if (values.size() < fewest) continue;
    low.push_back(stats::quantile(values, 0.05));
    high.push_back(stats::quantile(values, 0.95));
  }
  if (low.empty()) return {};
  return WithinTrialSpread{.low = stats::median(low), .high = stats::median(high)};
}

/// The medians of a trial's parts, of equal times where it has times, else of equal numbers. Empty when a
/// part has no value.
std::vector<double> by_parts(const Series& series) {
  std::vector<std::vector<double>> values(parts);
  const double length = series.length();
  if (!(length > 0)) return {};
  for (std::size_t i = 0; i < series.values.size(); ++i) {
    const double at = series.at.empty() ? static_cast<double>(i) : series.at[i];
    values[std::min(parts - 1, static_cast<std::size_t>(at / length * parts))].push_back(series.values[i]);
  }
  std::vector<double> medians;
  for (const auto& part : values) {
    if (part.empty()) return {};
    medians.push_back(stats::median(part));
  }
  return medians;
}

/// The part from which on a trial runs as in its second half; empty where it never comes to rest.
std::optional<std::size_t> settled_from(const std::vector<std::vector<double>>& trials, double first,
                                        double later) {
  constexpr double near = 0.25;
  std::optional<std::size_t> from;
  for (std::size_t part = 0; part < parts; ++part) {
    std::vector<double> values;
    for (const auto& trial : trials) values.push_back(trial[part]);
    const bool there = std::abs(stats::median(values) - later) <= near * std::abs(first - later);
    if (!there)
      from.reset();
    else if (!from)
      from = part;
  }
  return from && *from <= parts / 2 ? from : std::nullopt;
}

/// Upwards to one digit: 1.7 is 2, 130 is 200.
double rounded_up(double value) {
  const double step = std::pow(10, std::floor(std::log10(value)));
  return std::ceil(value / step - 1e-9) * step;
}

/// That the first values differ from the later ones; empty where they don't.
std::optional<Note> lead_in_of(const std::vector<Series>& trials, const Metric& metric) {
  std::vector<std::vector<double>> by_part;
  std::vector<double> first, later, rest, lengths;
  stats::Random random(trials.size());
  for (const auto& series : trials) {
    auto medians = by_parts(series);
    if (medians.empty()) continue;
    first.push_back(medians.front());
    // One part against one: a median of several would vary less than the first part does.
    later.push_back(medians[parts / 2 + random.below(parts - parts / 2)]);
    rest.push_back(stats::median(std::span(medians).subspan(parts / 2)));
    lengths.push_back(series.length());
    by_part.push_back(std::move(medians));
  }
  const auto all_fit = [&](const std::vector<double>& values) {
    return std::ranges::all_of(values, [&](double v) { return is_valid_value(metric.scale, v); });
  };
  if (first.size() < static_cast<std::size_t>(fewest_rounds) || !all_fit(first) || !all_fit(later)) return {};
  constexpr double much = 0.05;
  const auto f = judge_paired(later, first, {.metric = metric, .margin = much, .rest = false});
  if (!f.beyond_margin) return {};
  const double head = stats::median(first), tail = stats::median(rest);
  Note note{.kind = NoteKind::drifts_in_trial, .value = f.effect.change(), .low = head, .high = tail};
  if (const auto from = settled_from(by_part, head, tail)) {
    const double length = stats::median(lengths) * static_cast<double>(*from) / parts;
    const bool timed = !trials.front().at.empty();
    note.quoted = to_string(timed ? LeadIn{.seconds = rounded_up(length)}
                                  : LeadIn{.values = std::llround(std::ceil(length))});
    if (timed) note.quoted = '"' + note.quoted + '"';
  }
  return note;
}

}  // namespace

void add_within_trial_spread(const Observations& evidence, Findings& findings) {
  const auto all = gather(evidence);
  std::map<MetricId, std::pair<Note, std::size_t>> worst;
  for (const auto& [place, trials] : all) {
    const auto& [cell, id] = place;
    if (evidence.design.is_twin(cell)) continue;
    const auto& metric = evidence.design.metrics[id];
    const auto& lead_in = metric.request.lead_in;
    if (auto spread = spread_of(trials, lead_in)) {
      spread->cell = cell;
      spread->metric = id;
      findings.within_trials.push_back(*spread);
    }
    if (!metric.request.watched || !lead_in.none()) continue;
    auto note = lead_in_of(trials, metric);
    if (!note) continue;
    note->subject = cell;
    note->metric = id;
    auto& [kept, count] = worst[id];
    if (count++ == 0 || std::abs(*note->value) > std::abs(*kept.value)) kept = *note;
    kept.count = count;
  }
  for (auto& [id, note] : worst) findings.notes.push_back(std::move(note.first));
}

}  // namespace assay::judge
