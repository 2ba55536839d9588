#include <algorithm>
#include <cmath>
#include <map>
#include <utility>
#include <vector>

#include "assay/judge/machines.hpp"
#include "assay/judge/notes.hpp"
#include "assay/judge/paired_series.hpp"
#include "assay/metrics/catalogue.hpp"
#include "assay/stats/dip.hpp"
#include "assay/stats/hodges_lehmann.hpp"
#include "assay/stats/location.hpp"
#include "assay/stats/multiple_testing.hpp"
#include "assay/stats/rank_sum.hpp"
#include "assay/stats/segments.hpp"

namespace assay::judge {
namespace {

constexpr double surely = 0.01;  ///< p-value from which an anomaly is reported

/// One kind of oddity: the cell where it is worst is named, the others are counted. Of many cells some look
/// odd by chance, so the p-values are taken together (Benjamini–Hochberg).
class Anomaly {
 public:
  Anomaly(NoteKind kind, double threshold) : kind_(kind), threshold_(threshold) {}

  void add(CellId cell, double figure, double p = 0) {
    seen_.push_back({cell, figure});
    p_.push_back(p);
  }

  void add_note(MetricId metric, Findings& findings) const {
    const auto adjusted = stats::adjust_benjamini_hochberg(p_);
    const Seen* worst = nullptr;
    std::size_t cells = 0;
    for (std::size_t i = 0; i < seen_.size(); ++i) {
      if (!(std::abs(seen_[i].figure) > threshold_) || !(adjusted[i] < surely)) continue;
      ++cells;
      if (worst == nullptr || std::abs(seen_[i].figure) > std::abs(worst->figure)) worst = &seen_[i];
    }
    if (worst == nullptr) return;
    findings.notes.push_back({.kind = kind_,
                              .subject = worst->cell,
                              .metric = metric,
                              .value = worst->figure,
                              .threshold = threshold_,
                              .count = cells});
  }

 private:
  struct Seen {
    CellId cell;
    double figure;
  };
  NoteKind kind_;
  double threshold_;
  std::vector<Seen> seen_;
  std::vector<double> p_;
};

/// A few hundred values, evenly spaced: tests that compare all pairs would take hours on many more.
std::vector<double> thinned(const std::vector<double>& values) {
  constexpr std::size_t enough = 400;
  if (values.size() <= enough) return values;
  std::vector<double> few;
  for (std::size_t i = 0; i < enough; ++i) few.push_back(values[i * values.size() / enough]);
  return few;
}

/// Looks at one metric of a campaign.
class SeriesChecks {
 public:
  SeriesChecks(const Observations& evidence, MetricId id, Findings& findings)
      : evidence_(evidence),
        id_(id),
        metric_(evidence.design.metrics[id]),
        cells_(cells_on_one_level(evidence, id)),
        findings_(findings) {}

  void look() {
    short_trials();
    likeness_of_neighbours();
    suspected_ceilings();
    shapes();
    places();
    carry_over();
  }

 private:
  /// A cell's values drift, cluster around several modes, or hold outliers.
  void shapes() {
    constexpr double much_drift = 0.05, many_outliers = 0.05, clear_dip = 0;
    constexpr std::size_t fewest = 10, fewest_for_modes = 20;
    if (metric_.scale == Scale::difference) return;
    Anomaly drifting(NoteKind::drift, much_drift), modes(NoteKind::multimodal, clear_dip),
        outliers(NoteKind::outliers, many_outliers);
    for (const auto& [cell, rounds] : cells_) {
      std::vector<double> all_values;  // in order of rounds, as tests see them
      for (const auto& [round, value] : rounds)
        if (is_valid_value(metric_.scale, value))
          all_values.push_back(transformed_value(metric_.scale, value));
      if (all_values.size() < fewest) continue;
      const auto values = thinned(all_values);
      const auto drift = stats::test_trend(values);
      drifting.add(cell, std::expm1(drift.slope * static_cast<double>(values.size() - 1)), drift.test.p);
      const auto fences = stats::outlier_fences(values);
      const auto beyond =
          std::ranges::count_if(values, [&](double v) { return v < fences.low || v > fences.high; });
      outliers.add(cell, static_cast<double>(beyond) / static_cast<double>(values.size()));
      if (values.size() < fewest_for_modes) continue;
      constexpr std::size_t draws = 4999;
      // Dips of one mode are larger than this with a chance of 5 to 15 %, from twenty values on: no need to
      // ask.
      constexpr double ordinary_dip = 0.46;
      if (stats::dip(values) * std::sqrt(static_cast<double>(values.size())) < ordinary_dip) {
        modes.add(cell, 0, 1);
        continue;
      }
      const auto test = stats::dip_test_for(values.size(), draws)->test(values);
      modes.add(cell, test.statistic, test.p);
    }
    drifting.add_note(id_, findings_);
    modes.add_note(id_, findings_);
    outliers.add_note(id_, findings_);
  }

  /// The effects of neighbouring rounds are alike, which the interval supposes they are not.
  void likeness_of_neighbours() {
    constexpr double much = 0.3;
    constexpr std::size_t fewest = 20;
    Anomaly alike(NoteKind::autocorrelation, much);
    for (const auto& comparison : evidence_.design.comparisons) {
      const auto series = make_pairs(comparison, cells_);
      if (series.rounds.size() < fewest) continue;
      std::map<int, std::vector<double>> by_machine;  // neighbours are of one
      for (std::size_t i = 0; i < series.rounds.size(); ++i)
        if (is_valid_value(metric_.scale, series.baseline[i]) &&
            is_valid_value(metric_.scale, series.candidate[i]))
          by_machine[evidence_.machine_of_round(series.rounds[i])].push_back(
              transformed_effect(metric_.scale, series.baseline[i], series.candidate[i]));
      std::vector<double> effects;
      for (const auto& [machine, of] : by_machine) effects.insert(effects.end(), of.begin(), of.end());
      if (effects.size() < fewest) continue;
      alike.add(comparison.candidate, stats::autocorrelation(effects), stats::ljung_box(effects).p);
    }
    alike.add_note(id_, findings_);
  }

  /// What each cell's judged values typically are on each machine, of so many at least.
  std::map<std::pair<CellId, int>, double> typical_values(std::size_t fewest) const {
    std::map<std::pair<CellId, int>, std::vector<double>> values;
    for (const auto& [cell, rounds] : evidence_.by_cell(id_))
      for (const auto& [round, value] : rounds)
        values[{cell, evidence_.machine_of_round(round)}].push_back(value);
    std::map<std::pair<CellId, int>, double> typical;
    for (const auto& [place, of] : values)
      if (of.size() >= fewest) typical[place] = stats::median(of);
    return typical;
  }

  /// What ran first in a round was slower or quicker than what ran later; the first run of all was.
  void places() {
    if (metric_.scale == Scale::difference) return;
    const double margin = evidence_.design.margin_of(id_);
    constexpr double much = 0.1;
    constexpr std::size_t fewest = 10;
    constexpr std::size_t fewest_typical = 3;
    const auto typical = typical_values(fewest_typical);
    // How far each value is from what its cell typically has, where that is known.
    const auto off_typical = [&](Observations::Source from, auto&& take) {
      const auto& column = evidence_.values(id_, from);
      for (std::size_t i = 0; i < column.size(); ++i)
        if (const auto known = typical.find({column.cell[i], evidence_.machine_of_round(column.round[i])});
            known != typical.end() && column.position[i] >= 0 &&
            is_valid_value(metric_.scale, known->second) && is_valid_value(metric_.scale, column.value[i]))
          take(column.position[i], transformed_effect(metric_.scale, known->second, column.value[i]));
    };
    std::vector<double> first, later, of_first_run;
    off_typical(Observations::Source::judged,
                [&](int position, double off) { (position == 0 ? first : later).push_back(off); });
    off_typical(Observations::Source::warm_up, [&](int, double off) { of_first_run.push_back(off); });
    first = thinned(first);
    later = thinned(later);
    if (first.size() >= fewest && later.size() >= fewest) {
      const double effect = std::expm1(stats::shift_estimate(later, first));
      if (std::abs(effect) > margin && stats::mann_whitney(first, later).p < surely)
        tell_of_machine(NoteKind::position_effect, effect, margin);
    }
    if (of_first_run.empty()) return;
    const double warm_up = std::expm1(stats::median(of_first_run));
    if (std::abs(warm_up) > much) tell_of_machine(NoteKind::first_run, warm_up, much);
  }

  /// The round that ran before each one in the same session.
  std::map<int, int> rounds_before() const {
    std::map<int, int> before;
    std::map<SessionId, int> last;
    for (const auto& [round, session] : evidence_.session_of_round()) {
      if (const auto found = last.find(session); found != last.end()) before[round] = found->second;
      last[session] = round;
    }
    return before;
  }

  /// What runs right after a candidate is slower or quicker than what runs after others.
  void carry_over() {
    if (metric_.scale == Scale::difference) return;
    constexpr double much = 0.005;
    constexpr std::size_t fewest = 10;
    const auto& column = evidence_.values(id_);
    std::map<std::pair<int, int>, CellId> at;  // round, position
    std::map<int, int> last;                   // of each round
    for (std::size_t i = 0; i < column.size(); ++i) {
      if (column.position[i] < 0) return;
      at[{column.round[i], column.position[i]}] = column.cell[i];
      last[column.round[i]] = std::max(last[column.round[i]], column.position[i]);
    }
    const auto typical_of = typical_values(1);
    std::map<CandidateId, std::pair<CellId, std::vector<double>>> after;
    const auto round_before = rounds_before();
    for (std::size_t i = 0; i < column.size(); ++i) {
      const int round = column.round[i], position = column.position[i];
      const auto earlier = round_before.find(round);
      const auto end = earlier == round_before.end() ? last.end() : last.find(earlier->second);
      const auto before = position > 0        ? at.find({round, position - 1})
                          : end != last.end() ? at.find({end->first, end->second})
                                              : at.end();
      if (before == at.end() || !is_valid_value(metric_.scale, column.value[i])) continue;
      const double typical = typical_of.at({column.cell[i], evidence_.machine_of_round(round)});
      if (!is_valid_value(metric_.scale, typical)) continue;
      auto& [cell, values] = after[evidence_.design.cells[before->second].candidate];
      cell = before->second;
      values.push_back(transformed_effect(metric_.scale, typical, column.value[i]));
    }
    Anomaly carried(NoteKind::carry_over, much);
    for (const auto& [candidate, its] : after) {
      std::vector<double> others;
      for (const auto& [other, values] : after)
        if (other != candidate) others.insert(others.end(), values.second.begin(), values.second.end());
      if (its.second.size() < fewest || others.size() < fewest) continue;
      const auto mine = thinned(its.second), theirs = thinned(others);
      carried.add(its.first, std::expm1(stats::shift_estimate(mine, theirs)),
                  stats::brunner_munzel(mine, theirs).p);
    }
    carried.add_note(id_, findings_);
  }

  void tell_of_machine(NoteKind kind, double figure, double threshold) {
    findings_.notes.push_back(
        {.kind = kind, .subject = ThisMachine{}, .metric = id_, .value = figure, .threshold = threshold});
  }

  /// Trials so short that starting the program is much of them.
  void short_trials() {
    if (!metrics::is_kind(metric_, metrics::MetricKind::wall_time)) return;
    constexpr double short_time = 0.005;  // ten times what a start takes on an ordinary machine
    Note note{.kind = NoteKind::short_trials, .metric = id_, .value = short_time, .threshold = short_time};
    note.count = 0;
    for (const auto& [cell, rounds] : cells_) {
      const double typical = stats::median(values_of(rounds));
      if (typical >= short_time) continue;
      ++note.count;
      if (typical >= *note.value) continue;
      note.value = typical;
      note.subject = cell;
    }
    if (note.count > 0) findings_.notes.push_back(std::move(note));
  }

  /// Most values of both sides lie at their common end: something limits them, and "same" would say too much.
  void suspected_ceilings() {
    if (metric_.exact || metric_.request.ceiling || metric_.direction != Direction::higher) return;
    constexpr double near = 0.001, most = 0.5;
    constexpr std::size_t fewest = 7;
    bool noted = false;
    for (const auto& comparison : evidence_.design.comparisons) {
      const auto series = make_pairs(comparison, evidence_.by_cell(id_));
      if (series.rounds.size() < fewest || evidence_.design.is_twin(comparison.candidate)) continue;
      const double top = std::max(std::ranges::max(series.baseline), std::ranges::max(series.candidate));
      const double bottom = std::min(std::ranges::min(series.baseline), std::ranges::min(series.candidate));
      const auto at_top = [&](const std::vector<double>& values) {
        return static_cast<double>(
                   std::ranges::count_if(values, [&](double v) { return v >= top * (1 - near); })) /
               static_cast<double>(values.size());
      };
      const double share = std::min(at_top(series.baseline), at_top(series.candidate));
      if (share <= most || bottom >= top * (1 - near)) continue;
      for (auto& f : findings_.findings)
        if (f.comparison == comparison && f.metric == id_ && f.verdict == Verdict::same) {
          f.verdict = Verdict::unclear;
          f.rounds_to_decide = RoundsToDecide{.obstacle = RoundsToDecide::Obstacle::saturation_suspected};
        }
      if (std::exchange(noted, true)) continue;
      findings_.notes.push_back({.kind = NoteKind::saturation,
                                 .subject = comparison.candidate,
                                 .metric = id_,
                                 .value = share,
                                 .threshold = most});
    }
  }

  const Observations& evidence_;
  MetricId id_;
  const Metric& metric_;
  const ValuesByCell cells_;  ///< those of several machines on one level
  Findings& findings_;
};

}  // namespace

void add_series_notes(const Observations& evidence, Findings& findings) {
  for (const auto id : evidence.design.metrics.ids()) {
    const auto& metric = evidence.design.metrics[id];
    if (metric.request.watched && !metric.exact) SeriesChecks(evidence, id, findings).look();
  }
}

}  // namespace assay::judge
