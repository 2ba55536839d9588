#include <algorithm>
#include <cmath>
#include <map>
#include <numeric>
#include <utility>

#include "assay/judge/figures.hpp"
#include "assay/judge/findings.hpp"
#include "assay/judge/pairs.hpp"
#include "assay/judge/trust.hpp"
#include "assay/stats/location.hpp"
#include "assay/stats/many.hpp"
#include "assay/stats/series.hpp"
#include "assay/stats/unpaired.hpp"

namespace assay::judge {
namespace {

constexpr double surely = 0.01;  ///< p-value from which an oddity is told

/// One kind of oddity: the cell where it is worst is named, the others are counted. Of many cells some look
/// odd by chance, so the p-values are taken together (Benjamini–Hochberg).
class Oddity {
 public:
  explicit Oddity(double threshold) : threshold_(threshold) {}

  void see(CellId cell, double figure, double p = 0) {
    seen_.push_back({cell, figure});
    p_.push_back(p);
  }

  template <class Text>
  void tell(const Record& record, Findings& findings, Text&& text) const {
    const auto adjusted = stats::adjust_benjamini_hochberg(p_);
    const Seen* worst = nullptr;
    int cells = 0;
    for (std::size_t i = 0; i < seen_.size(); ++i) {
      if (!(std::abs(seen_[i].figure) > threshold_) || !(adjusted[i] < surely)) continue;
      ++cells;
      if (worst == nullptr || std::abs(seen_[i].figure) > std::abs(worst->figure)) worst = &seen_[i];
    }
    if (worst == nullptr) return;
    auto words = text(worst->figure);
    if (cells > 1) words += " (the most of " + std::to_string(cells) + " cells)";
    auto note = warning(name_of(record, worst->cell), words, worst->figure, threshold_);
    note.level = TrustNote::Level::note;
    findings.trust.push_back(std::move(note));
  }

 private:
  struct Seen {
    CellId cell;
    double figure;
  };
  double threshold_;
  std::vector<Seen> seen_;
  std::vector<double> p_;
};

/// Every so-manieth value, so that a few hundred are left: what takes all pairs of values would take hours of
/// many.
std::vector<double> thinned(const std::vector<double>& values) {
  constexpr std::size_t enough = 400;
  if (values.size() <= enough) return values;
  std::vector<double> few;
  for (std::size_t i = 0; i < enough; ++i) few.push_back(values[i * values.size() / enough]);
  return few;
}

/// Values of one metric in the order of rounds, logarithms on a ratio scale.
std::map<CellId, std::vector<double>> in_order(const ByCell& cells, const Metric& metric) {
  std::map<CellId, std::vector<double>> series;
  for (const auto& [cell, rounds] : cells)
    for (const auto& [round, value] : rounds)
      if (metric.scale == Scale::difference || value > 0)
        series[cell].push_back(metric.scale == Scale::ratio ? std::log(value) : value);
  return series;
}

/// A cell's values drift, cluster around several modes, or hold outliers.
void shapes(const Record& record, MetricId id, const ByCell& cells, Findings& findings) {
  constexpr double much_drift = 0.05, many_outliers = 0.05, clear_dip = 0;
  constexpr std::size_t fewest = 10, fewest_for_modes = 20;
  const auto& metric = record.metrics[id.place()];
  if (metric.scale != Scale::ratio) return;
  Oddity drifting(much_drift), modes(clear_dip), outliers(many_outliers);
  std::map<std::size_t, stats::OneMode> of_one_mode;  // by how many values
  for (const auto& [cell, all_values] : in_order(cells, metric)) {
    if (all_values.size() < fewest) continue;
    const auto values = thinned(all_values);
    const auto drift = stats::drift(values);
    drifting.see(cell, std::expm1(drift.slope * static_cast<double>(values.size() - 1)), drift.test.p);
    const auto fences = stats::outlier_fences(values);
    const auto beyond =
        std::ranges::count_if(values, [&](double v) { return v < fences.low || v > fences.high; });
    outliers.see(cell, static_cast<double>(beyond) / static_cast<double>(values.size()));
    if (values.size() < fewest_for_modes) continue;
    constexpr std::size_t draws = 4999;
    const auto [one_mode, fresh] = of_one_mode.try_emplace(values.size(), values.size(), draws);
    const auto test = one_mode->second.test(values);
    modes.see(cell, test.statistic, test.p);
  }
  drifting.tell(record, findings, [&](double d) {
    return metric.name + " " + (d > 0 ? "rose" : "fell") + " by " + per_cent(d) +
           " from the first rounds to the last; pairs cancel that, typical values don't";
  });
  modes.tell(record, findings, [&](double) {
    return metric.name +
           " gathers around more than one value, as of two states of the program or machine; see its trials";
  });
  outliers.tell(record, findings, [&](double share) {
    return per_cent(share) + " of its values of " + metric.name +
           " lie far out; they are kept, and weigh no more than their rank";
  });
}

/// The effects of neighbouring rounds are alike, which the interval supposes they are not.
void likeness_of_neighbours(const Record& record, MetricId id, const ByCell& cells, Findings& findings) {
  constexpr double much = 0.3;
  constexpr std::size_t fewest = 20;
  Oddity alike(much);
  for (const auto& contrast : record.contrasts) {
    const auto series = pair_up(contrast, cells);
    if (series.rounds.size() < fewest) continue;
    std::vector<double> effects;
    for (std::size_t i = 0; i < series.rounds.size(); ++i)
      if (series.baseline[i] > 0 && series.candidate[i] > 0)
        effects.push_back(std::log(series.candidate[i] / series.baseline[i]));
    if (effects.size() < fewest) continue;
    alike.see(contrast.candidate, stats::autocorrelation(effects), stats::ljung_box(effects).p);
  }
  alike.tell(record, findings, [&](double r) {
    return "its changes of " + record.metrics[id.place()].name +
           " in neighbouring rounds are alike (correlation " + to_string(Level{std::round(r * 100) / 100}) +
           "), so its interval may be too narrow";
  });
}

/// What ran first in a round was slower or quicker than what ran later; the first run of all was.
void places(const Record& record, MetricId id, const ByCell& cells, Findings& findings) {
  const auto& metric = record.metrics[id.place()];
  if (metric.scale != Scale::ratio) return;
  const double margin = record.demands[id.place()].margin.value_or(record.info.margin);
  constexpr double much = 0.1;
  constexpr std::size_t fewest = 10;
  std::map<CellId, double> typical;
  for (const auto& [cell, rounds] : cells) {
    std::vector<double> values;
    for (const auto& [round, value] : rounds) values.push_back(value);
    if (values.size() >= 3) typical[cell] = stats::median(values);
  }
  std::vector<double> first, later, of_first_run;
  for (const auto& trial : record.trials) {
    const auto known = typical.find(trial.cell);
    if (trial.outcome != Outcome::ok || known == typical.end() || !(known->second > 0) || trial.heat > 0)
      continue;
    for (const auto& reading : trial.readings) {
      if (reading.metric != id || !(reading.value > 0)) continue;
      const double off = std::log(reading.value / known->second);
      if (trial.role == Role::first) of_first_run.push_back(off);
      if (trial.role == Role::counted) (trial.position == 0 ? first : later).push_back(off);
    }
  }
  first = thinned(first);
  later = thinned(later);
  if (first.size() >= fewest && later.size() >= fewest) {
    const double effect = std::expm1(stats::shift_estimate(later, first));
    if (std::abs(effect) > margin && stats::mann_whitney(first, later).p < surely)
      findings.trust.push_back(
          {.about = "this machine",
           .text = "what runs first in a round has " + per_cent(effect) + " " +
                   (effect > 0 ? "more " : "less ") + metric.name +
                   " than what runs later; the order is shuffled, so no candidate gains by it",
           .figure = effect,
           .threshold = margin});
  }
  if (of_first_run.empty()) return;
  const double warm_up = std::expm1(stats::median(of_first_run));
  if (std::abs(warm_up) > much)
    findings.trust.push_back(
        {.about = "this machine",
         .text = "the first run had " +
                 (warm_up >= 1
                      ? digits(1 + warm_up) + " times the " + metric.name + " of"
                      : per_cent(warm_up) + (warm_up > 0 ? " more " : " less ") + metric.name + " than") +
                 " later ones; it is left out",
         .figure = warm_up,
         .threshold = much});
}

/// Trials so short that starting the program is much of them.
void short_trials(const Record& record, MetricId id, const ByCell& cells, Findings& findings) {
  if (record.metrics[id.place()].name != "wall time") return;
  constexpr double short_time = 0.005;  // ten times what a start takes on an ordinary machine
  double shortest = short_time;
  CellId where;
  int count = 0;
  for (const auto& [cell, rounds] : cells) {
    std::vector<double> values;
    for (const auto& [round, value] : rounds) values.push_back(value);
    if (values.empty() || stats::median(values) >= short_time) continue;
    ++count;
    if (stats::median(values) >= shortest) continue;
    shortest = stats::median(values);
    where = cell;
  }
  if (count == 0) return;
  findings.trust.push_back(
      {.about = name_of(record, where),
       .text = "a trial takes " + to_string(Level{std::round(shortest * 1e5) / 100}) +
               " ms, and starting a program is much of that: a change of the work itself is larger than it "
               "shows" +
               (count > 1 ? " (the shortest of " + std::to_string(count) + " cells)" : ""),
       .figure = shortest,
       .threshold = short_time});
}

/// Most values of both sides lie at their common end: something limits them, and "same" would say too much.
void suspected_ceilings(const Record& record, MetricId id, const ByCell& cells, Findings& findings) {
  const auto& metric = record.metrics[id.place()];
  if (metric.exact || record.demands[id.place()].ceiling || metric.prefer != Prefer::higher) return;
  constexpr double near = 0.001, most = 0.5;
  constexpr std::size_t fewest = 7;
  bool told = false;
  for (const auto& contrast : record.contrasts) {
    const auto series = pair_up(contrast, cells);
    if (series.rounds.size() < fewest ||
        record.candidates[record.cells[contrast.candidate.place()].candidate.place()].twin_of)
      continue;
    const double top = std::max(std::ranges::max(series.baseline), std::ranges::max(series.candidate));
    const double bottom = std::min(std::ranges::min(series.baseline), std::ranges::min(series.candidate));
    const auto at_top = [&](const std::vector<double>& values) {
      return static_cast<double>(
                 std::ranges::count_if(values, [&](double v) { return v >= top * (1 - near); })) /
             static_cast<double>(values.size());
    };
    const double share = std::min(at_top(series.baseline), at_top(series.candidate));
    if (share <= most || bottom >= top * (1 - near)) continue;
    for (auto& f : findings.findings)
      if (f.of == contrast && f.metric == id && f.verdict == Verdict::same) {
        f.verdict = Verdict::unclear;
        f.to_settle =
            Price{.why =
                      "most values of both lie at one upper end, where something may limit them and "
                      "they can't differ"};
      }
    if (std::exchange(told, true)) continue;
    findings.trust.push_back(
        {.about = name_of(record, contrast.candidate),
         .text = per_cent(share) + " of the values of " + metric.name +
                 " on both sides lie at one upper end: something may limit them, and hide a difference",
         .figure = share,
         .threshold = most});
  }
}

}  // namespace

void add_series_notes(const Record& record, Findings& findings) {
  for (std::size_t m = 0; m < record.metrics.size(); ++m) {
    if (!record.demands[m].watched || record.metrics[m].exact) continue;
    const MetricId id{static_cast<std::int64_t>(m)};
    const auto cells = by_cell(evidence_of(record, id));
    short_trials(record, id, cells, findings);
    likeness_of_neighbours(record, id, cells, findings);
    suspected_ceilings(record, id, cells, findings);
    shapes(record, id, cells, findings);
    places(record, id, cells, findings);
  }
}

void apply_ceilings(const Record& record, Findings& findings) {
  constexpr double near = 0.01;
  for (auto& f : findings.findings) {
    const auto ceiling = record.demands[f.metric.place()].ceiling;
    if (!ceiling || *ceiling == 0) continue;
    const auto at_it = [&](double typical) { return std::abs(typical / *ceiling - 1) <= near; };
    if (!at_it(f.baseline_typical) || !at_it(f.candidate_typical)) continue;
    f.verdict = Verdict::unclear;
    f.to_settle = Price{.why = "both are at the limit of " + to_string(Level{*ceiling}) + " " +
                               record.metrics[f.metric.place()].unit + ", where they can't differ"};
    f.notes.push_back(
        warning(name_of(record, f.of.candidate), "at its ceiling", f.candidate_typical, *ceiling));
  }
}

}  // namespace assay::judge
