#include <algorithm>
#include <cmath>
#include <map>
#include <numeric>
#include <optional>
#include <set>
#include <vector>

#include "assay/judge/notes.hpp"
#include "assay/judge/paired_series.hpp"
#include "assay/metrics/catalogue.hpp"
#include "assay/stats/hodges_lehmann.hpp"
#include "assay/stats/location.hpp"
#include "assay/stats/null_distribution.hpp"

namespace assay::judge {
namespace {

using metrics::MetricKind;

class MachineChecks {
 public:
  MachineChecks(const Observations& evidence, Findings& findings)
      : evidence_(evidence), findings_(findings) {}

  void add() {
    const auto& rounds = evidence_.rounds_by_machine();
    for (std::size_t i = 0; i < rounds.size(); ++i) {
      machine_ = static_cast<int>(i);
      if (rounds[i] == 0 && (evidence_.has_several_machines() || i > 0)) continue;
      shares();
      states();
    }
    sessions();
    programs();
    voids();
  }

 private:
  Subject subject_of(int machine) const {
    return ThisMachine{evidence_.has_several_machines() ? machine + 1 : 0};
  }

  void add_note(NoteKind kind, double figure, double threshold) {
    add_note(kind, figure, threshold, subject_of(machine_));
  }
  void add_note(NoteKind kind, double figure, double threshold, const Subject& subject) {
    if (figure > threshold)
      findings_.notes.push_back({.kind = kind,
                                 .subject = subject,
                                 .level = Note::Level::warning,
                                 .value = figure,
                                 .threshold = threshold});
  }

  const ValueColumn& column(MetricKind metric,
                            Observations::Source from = Observations::Source::judged) const {
    static const ValueColumn nothing;
    const auto id = metrics::find(evidence_.design.metrics, metric);
    return id ? evidence_.values(*id, from) : nothing;
  }
  /// The values of the machine that is looked at.
  std::vector<double> values(const ValueColumn& all) const {
    if (!evidence_.has_several_machines()) return all.value;
    std::vector<double> its;
    for (std::size_t i = 0; i < all.size(); ++i)
      if (evidence_.machine_of_round(all.round[i]) == machine_) its.push_back(all.value[i]);
    return its;
  }
  std::vector<double> values(MetricKind metric) const { return values(column(metric)); }

  double sum(MetricKind metric) const {
    const auto all = values(metric);
    return std::accumulate(all.begin(), all.end(), 0.0);
  }

  void shares() {
    const double cores = hardware_cores(evidence_, machine_);
    const auto times = values(run_times(evidence_));
    const double time = std::accumulate(times.begin(), times.end(), 0.0) * cores;
    if (time > 0) {
      // Around shorter trials, starting them is most of what there is besides, and what the host takes comes
      // in ticks that are longer than they are.
      constexpr double long_enough = 0.02;
      if (stats::median(times) >= long_enough) {
        add_note(NoteKind::stolen_time, sum(MetricKind::stolen_time) / time, 0.05);
        add_note(NoteKind::busy, sum(MetricKind::other_cpu_time) / time, 0.1);
      }
    }
    if (const auto load = values(MetricKind::load); !load.empty())
      add_note(NoteKind::load, stats::median(load), cores);
  }

  void states() {
    if (const auto frequency = values(MetricKind::core_frequency); !frequency.empty()) {
      const auto [low, high] = std::ranges::minmax(frequency);
      add_note(NoteKind::frequency, high / std::max(low, 1.0) - 1, 0.1);
    }
    add_note(NoteKind::throttled, sum(MetricKind::throttlings), 0);
    add_note(NoteKind::on_battery, sum(MetricKind::on_battery), 0);
    if (const auto warm = values(MetricKind::warm_page_share); !warm.empty())
      add_note(NoteKind::page_cache_not_dropped, std::ranges::max(warm), 0.01);
    if (const auto counted = values(MetricKind::counter_share); !counted.empty())
      add_note(NoteKind::counters_shared, 1 - std::ranges::min(counted), 0.1);
  }

  void sessions() {
    std::set<int> beside;
    for (const auto id : evidence_.sessions().ids())
      if (!evidence_.sessions()[id].fact("beside another campaign").empty())
        beside.insert(evidence_.machine_of(id));
    for (const int machine : beside)
      findings_.notes.push_back({.kind = NoteKind::concurrent_campaign,
                                 .subject = subject_of(machine),
                                 .level = Note::Level::warning});
  }

  void programs() {
    std::map<CellId, double> unseen;
    for (const auto from : {Observations::Source::checked, Observations::Source::judged}) {
      const auto& seconds = column(MetricKind::unwaited_cpu_time, from);
      for (std::size_t i = 0; i < seconds.size(); ++i)
        unseen[seconds.cell[i]] = std::max(unseen[seconds.cell[i]], seconds.value[i]);
    }
    for (const auto& [cell, seconds] : unseen) add_note(NoteKind::unwaited_children, seconds, 0, cell);
    constexpr double seconds_per_byte = 0.6e-9, much = 0.01;
    std::map<CellId, double> spent;
    const auto& wall = column(MetricKind::wall_time);
    for (std::size_t i = 0; i < wall.size(); ++i) spent[wall.cell[i]] += wall.value[i];
    for (const auto& [cell, seconds] : spent)
      add_note(NoteKind::costly_output,
               evidence_.of(cell).output_bytes * seconds_per_byte / std::max(seconds, 1e-9), much, cell);
  }

  void voids() {
    for (const auto& [reason, times] : evidence_.discard_reasons()) {
      add_note(NoteKind::discarded_trials, static_cast<double>(times), 0, ThisMachine{});
      findings_.notes.back().quoted = reason;
    }
  }

  const Observations& evidence_;
  Findings& findings_;
  int machine_ = 0;  ///< whose values are looked at
};

/// Interval of the effect in the rounds in turns, as log ratios; empty with fewer than three.
std::optional<stats::Range> in_turns(const PairedSeries& series, Scale scale) {
  constexpr std::size_t fewest = 3;
  std::vector<double> d;
  for (std::size_t i = 0; i < series.rounds.size(); ++i)
    if (is_valid_value(scale, series.baseline[i]) && is_valid_value(scale, series.candidate[i]))
      d.push_back(transformed_effect(scale, series.baseline[i], series.candidate[i]));
  if (d.size() < fewest) return {};
  const auto critical = stats::SignedRank(d.size()).critical_count(0.05);
  return critical > 0 ? stats::WalshAverages(d).interval(critical) : stats::mean_interval(d, 0.95);
}

/// Changes that are another in rounds in turns than in the way that was judged.
void way_distortion(const Observations& evidence, Findings& findings) {
  for (const auto& finding : findings.findings) {
    const auto& metric = findings.metric_of(finding);
    if (!metric.request.watched || !finding.effect.is_ratio()) continue;
    if (evidence.way(finding.comparison.candidate) == Way::turns) continue;
    const auto turns =
        in_turns(make_pairs(finding.comparison, values_in_turns(evidence, finding.metric)), metric.scale);
    if (!turns) continue;
    const double low = Effect::from_transformed(metric.scale, turns->low).value,
                 high = Effect::from_transformed(metric.scale, turns->high).value;
    if (low <= finding.interval.high && high >= finding.interval.low) continue;
    findings.notes.push_back({.kind = NoteKind::concurrency_bias,
                              .subject = finding.comparison.candidate,
                              .level = Note::Level::warning,
                              .metric = finding.metric,
                              .value = finding.effect.value,
                              .threshold = finding.effect.value > high ? high : low,
                              .low = low,
                              .high = high});
  }
}

}  // namespace

void add_machine_notes(const Observations& evidence, Findings& findings) {
  way_distortion(evidence, findings);
  MachineChecks(evidence, findings).add();
}

}  // namespace assay::judge
