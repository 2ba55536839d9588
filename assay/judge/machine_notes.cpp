#include <algorithm>
#include <cmath>
#include <map>
#include <string>

#include "assay/judge/figures.hpp"
#include "assay/judge/findings.hpp"
#include "assay/judge/pairs.hpp"
#include "assay/judge/trust.hpp"
#include "assay/stats/location.hpp"
#include "assay/stats/signed_rank.hpp"
#include "assay/stats/walsh.hpp"

namespace assay::judge {
namespace {

class Machine {
 public:
  Machine(const Record& record, Findings& findings) : record_(record), findings_(findings) {
    for (const auto& trial : record.trials) {
      if (trial.role != Role::counted && trial.role != Role::check) continue;
      for (const auto& reading : trial.readings) {
        const auto& name = record.metrics[reading.metric.place()].name;
        if (trial.role == Role::counted) all_[name].push_back(reading.value);
        if (name == "unseen cpu time") unseen_[trial.cell] = std::max(unseen_[trial.cell], reading.value);
      }
    }
  }

  void add() {
    shares();
    states();
    programs();
    voids();
  }

 private:
  void note(const std::string& text, double figure, double threshold) {
    if (figure > threshold) findings_.trust.push_back(warning("this machine", text, figure, threshold));
  }

  const std::vector<double>* values(const std::string& name) const {
    const auto found = all_.find(name);
    return found == all_.end() ? nullptr : &found->second;
  }

  double sum(const std::string& name) const {
    double total = 0;
    if (const auto* all = values(name))
      for (const double v : *all) total += v;
    return total;
  }

  void shares() {
    const double cores = cores_of(record_);
    const double time = sum(record_.info.abreast ? "cpu time" : "wall time") * cores;
    if (time > 0) {
      const double stolen = sum("stolen time") / time, others = sum("time of others") / time;
      note("its host took " + per_cent(stolen) + " of its CPU time from it during the trials", stolen, 0.05);
      // Around shorter trials, starting them is most of what there is besides.
      constexpr double long_enough = 0.02;
      const auto* times = values(record_.info.abreast ? "cpu time" : "wall time");
      if (stats::median(*times) >= long_enough)
        note("other programs used " + per_cent(others) + " of its CPU time during the trials", others, 0.1);
    }
    if (const auto* load = values("load")) {
      const double typical = stats::median(*load);
      note("a load of " + digits(typical) + " was on its " + digits(cores) +
               " cores when trials began (median)",
           typical, cores);
    }
  }

  void states() {
    if (const auto* frequency = values("core frequency")) {
      const auto [low, high] = std::ranges::minmax(*frequency);
      const double range = high / std::max(low, 1.0) - 1;
      note("its cores' frequency varied by " + per_cent(range), range, 0.1);
    }
    note("its cores throttled " + digits(sum("throttlings")) + " times during the trials", sum("throttlings"),
         0);
    note("it ran on battery", sum("on battery"), 0);
    if (const auto* warm = values("kept warm")) {
      const double most = *std::ranges::max_element(*warm);
      note("of a file declared cold, up to " + per_cent(most) + " stayed in the page cache", most, 0.01);
    }
    if (const auto* counted = values("counted share")) {
      const double least = *std::ranges::min_element(*counted);
      note("its hardware counters took turns and were on for " + per_cent(least) +
               " of the time; counts are scaled up",
           1 - least, 0.1);
    }
    for (const auto& sitting : record_.sittings)
      if (std::ranges::any_of(sitting.facts,
                              [](const Fact& f) { return f.name == "beside another campaign"; }))
        findings_.trust.push_back(
            warning("this machine", "another campaign was measuring on it at the same time"));
  }

  void programs() {
    for (const auto& [cell, seconds] : unseen_)
      if (seconds > 0)
        findings_.trust.push_back(warning(
            name_of(record_, cell),
            digits(seconds) + " s of CPU time are of children that nobody waited for, and not in cpu time",
            seconds, 0));
    constexpr double seconds_per_byte = 0.6e-9, much = 0.01;
    std::map<CellId, std::pair<double, double>> written;  // bytes, seconds
    const auto wall =
        std::ranges::find(record_.metrics, "wall time", &Metric::name) - record_.metrics.begin();
    for (const auto& trial : record_.trials)
      for (const auto& reading : trial.readings)
        if (trial.role == Role::counted && reading.metric.value == wall) {
          written[trial.cell].first += static_cast<double>(trial.output_bytes);
          written[trial.cell].second += reading.value;
        }
    for (const auto& [cell, sums] : written) {
      const double share = sums.first * seconds_per_byte / std::max(sums.second, 1e-9);
      if (share > much)
        findings_.trust.push_back(
            warning(name_of(record_, cell),
                    "writing its output takes about " + per_cent(share) +
                        " of its wall time; with keep_output = false it goes nowhere, at less cost",
                    share, much));
    }
  }

  void voids() {
    std::map<std::string, int> why;
    for (const auto& trial : record_.trials)
      if (trial.outcome == Outcome::voided) ++why[trial.detail];
    for (const auto& [reason, times] : why)
      findings_.trust.push_back(
          warning("this machine", std::to_string(times) + " trials are void: " + reason, times, 0));
  }

  const Record& record_;
  Findings& findings_;
  std::map<std::string, std::vector<double>> all_;
  std::map<CellId, double> unseen_;
};

/// Interval of the effect in the rounds in turns, as log ratios; empty with fewer than three.
std::optional<stats::Bounds> in_turns(const PairedSeries& series) {
  constexpr std::size_t fewest = 3;
  std::vector<double> d;
  for (std::size_t i = 0; i < series.rounds.size(); ++i)
    if (series.baseline[i] > 0 && series.candidate[i] > 0)
      d.push_back(std::log(series.candidate[i] / series.baseline[i]));
  if (d.size() < fewest) return {};
  const auto critical = stats::SignedRank(d.size()).critical_count(0.05);
  return critical > 0 ? stats::WalshAverages(d).interval(critical) : stats::mean_interval(d, 0.95);
}

void abreast_distortion(const Record& record, Findings& findings) {
  if (!record.info.abreast) return;
  for (const auto& finding : findings.findings) {
    if (!record.demands[finding.metric.place()].watched ||
        record.metrics[finding.metric.place()].scale != Scale::ratio)
      continue;
    const auto turns =
        in_turns(pair_up(finding.of, by_cell(evidence_of(record, finding.metric, Role::control))));
    if (!turns) continue;
    const double low = std::exp(turns->low), high = std::exp(turns->high);
    if (low <= finding.interval.high && high >= finding.interval.low) continue;
    findings.trust.push_back(warning(name_of(record, finding.of.candidate),
                                     "abreast its " + record.metrics[finding.metric.place()].name + " is " +
                                         digits(finding.effect) + " of the baseline's, in turns " +
                                         digits(low) + " to " + digits(high) +
                                         ": they get in each other's way; measure in turns",
                                     finding.effect, finding.effect > high ? high : low));
  }
}

}  // namespace

void add_machine_notes(const Record& record, Findings& findings) {
  abreast_distortion(record, findings);
  Machine(record, findings).add();
}

}  // namespace assay::judge
