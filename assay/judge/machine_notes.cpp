#include "assay/judge/machine_notes.hpp"

#include <algorithm>
#include <cmath>
#include <map>
#include <numeric>
#include <optional>
#include <vector>

#include "assay/judge/pairs.hpp"
#include "assay/metrics/catalogue.hpp"
#include "assay/stats/location.hpp"
#include "assay/stats/signed_rank.hpp"
#include "assay/stats/walsh.hpp"

namespace assay::inline v1::judge {
namespace {

using metrics::Known;

class Machine {
 public:
  Machine(const Evidence& evidence, Findings& findings) : evidence_(evidence), findings_(findings) {}

  void add() {
    shares();
    states();
    programs();
    voids();
  }

 private:
  void tell(NoteKind kind, double figure, double threshold, const Subject& subject = ThisMachine{}) {
    if (figure > threshold)
      findings_.trust.push_back({.kind = kind,
                                 .subject = subject,
                                 .level = Note::Level::warning,
                                 .figure = figure,
                                 .threshold = threshold});
  }

  const Column& column(Known metric, Evidence::From from = Evidence::From::judged) const {
    static const Column nothing;
    const auto id = metrics::find(evidence_.design.metrics, metric);
    return id ? evidence_.values(*id, from) : nothing;
  }
  const std::vector<double>& values(Known metric) const { return column(metric).value; }

  double sum(Known metric) const {
    const auto& all = values(metric);
    return std::accumulate(all.begin(), all.end(), 0.0);
  }

  void shares() {
    const double cores = cores_of(evidence_);
    const auto& times = values(evidence_.design.rules.abreast ? Known::cpu_time : Known::wall_time);
    const double time = std::accumulate(times.begin(), times.end(), 0.0) * cores;
    if (time > 0) {
      // Around shorter trials, starting them is most of what there is besides, and what the host takes comes
      // in ticks that are longer than they are.
      constexpr double long_enough = 0.02;
      if (stats::median(times) >= long_enough) {
        tell(NoteKind::stolen_time, sum(Known::stolen_time) / time, 0.05);
        tell(NoteKind::busy, sum(Known::time_of_others) / time, 0.1);
      }
    }
    if (const auto& load = values(Known::load); !load.empty())
      tell(NoteKind::load, stats::median(load), cores);
  }

  void states() {
    if (const auto& frequency = values(Known::core_frequency); !frequency.empty()) {
      const auto [low, high] = std::ranges::minmax(frequency);
      tell(NoteKind::frequency, high / std::max(low, 1.0) - 1, 0.1);
    }
    tell(NoteKind::throttled, sum(Known::throttlings), 0);
    tell(NoteKind::on_battery, sum(Known::on_battery), 0);
    if (const auto& warm = values(Known::kept_warm); !warm.empty())
      tell(NoteKind::stayed_cached, std::ranges::max(warm), 0.01);
    if (const auto& counted = values(Known::counted_share); !counted.empty())
      tell(NoteKind::counters_shared, 1 - std::ranges::min(counted), 0.1);
    for (const auto& sitting : evidence_.sittings())
      if (!sitting.fact("beside another campaign").empty())
        findings_.trust.push_back(
            {.kind = NoteKind::beside_another, .subject = ThisMachine{}, .level = Note::Level::warning});
  }

  void programs() {
    std::map<CellId, double> unseen;
    for (const auto from : {Evidence::From::checked, Evidence::From::judged}) {
      const auto& seconds = column(Known::unseen_cpu_time, from);
      for (std::size_t i = 0; i < seconds.size(); ++i)
        unseen[seconds.cell[i]] = std::max(unseen[seconds.cell[i]], seconds.value[i]);
    }
    for (const auto& [cell, seconds] : unseen) tell(NoteKind::unseen_children, seconds, 0, cell);
    constexpr double seconds_per_byte = 0.6e-9, much = 0.01;
    std::map<CellId, double> spent;
    const auto& wall = column(Known::wall_time);
    for (std::size_t i = 0; i < wall.size(); ++i) spent[wall.cell[i]] += wall.value[i];
    for (const auto& [cell, seconds] : spent)
      tell(NoteKind::costly_output,
           evidence_.of(cell).output_bytes * seconds_per_byte / std::max(seconds, 1e-9), much, cell);
  }

  void voids() {
    for (const auto& [reason, times] : evidence_.voids()) {
      tell(NoteKind::void_trials, static_cast<double>(times), 0);
      findings_.trust.back().said = reason;
    }
  }

  const Evidence& evidence_;
  Findings& findings_;
};

/// Interval of the effect in the rounds in turns, as log ratios; empty with fewer than three.
std::optional<stats::Bounds> in_turns(const PairedSeries& series, Scale scale) {
  constexpr std::size_t fewest = 3;
  std::vector<double> d;
  for (std::size_t i = 0; i < series.rounds.size(); ++i)
    if (fits(scale, series.baseline[i]) && fits(scale, series.candidate[i]))
      d.push_back(effect_of_pair(scale, series.baseline[i], series.candidate[i]));
  if (d.size() < fewest) return {};
  const auto critical = stats::SignedRank(d.size()).critical_count(0.05);
  return critical > 0 ? stats::WalshAverages(d).interval(critical) : stats::mean_interval(d, 0.95);
}

void abreast_distortion(const Evidence& evidence, Findings& findings) {
  if (!evidence.design.rules.abreast) return;
  for (const auto& finding : findings.findings) {
    const auto& metric = findings.metric_of(finding);
    if (!metric.demand.watched || !finding.effect.is_ratio()) continue;
    const auto controls = by_cell(evidence.values(finding.metric, Evidence::From::control));
    const auto turns = in_turns(pair_up(finding.of, controls), metric.scale);
    if (!turns) continue;
    const double low = Effect::of_test_scale(metric.scale, turns->low).value,
                 high = Effect::of_test_scale(metric.scale, turns->high).value;
    if (low <= finding.interval.high && high >= finding.interval.low) continue;
    findings.trust.push_back({.kind = NoteKind::abreast_distorts,
                              .subject = finding.of.candidate,
                              .level = Note::Level::warning,
                              .metric = finding.metric,
                              .figure = finding.effect.value,
                              .threshold = finding.effect.value > high ? high : low,
                              .low = low,
                              .high = high});
  }
}

}  // namespace

void add_machine_notes(const Evidence& evidence, Findings& findings) {
  abreast_distortion(evidence, findings);
  Machine(evidence, findings).add();
}

}  // namespace assay::inline v1::judge
