#pragma once

#include <cstddef>
#include <functional>
#include <map>
#include <memory>
#include <optional>
#include <span>
#include <utility>
#include <vector>

#include "assay/judge/paired_test.hpp"
#include "assay/judge/sequential.hpp"
#include "assay/model/observations.hpp"
#include "assay/schedule/interim_looks.hpp"

namespace assay::judge {

/// The median of the values. REQUIRES: there is one.
double median_of_values(const RoundValues& rounds);

/// The rounds in which both cells of a comparison have a value, of several the first. Cost: linear in the
/// values.
PairedSeries make_pairs(const Comparison& of, const ValuesByCell& values);

/// The pairs that are judged: of times of cells with repeats, the rounds that have all their values; of other
/// metrics, whose medians may well be equal where times differ threefold, the first of each round. They are
/// marked from which on a trial of either side ran into its time limit: what is judged by slow runs being
/// noise has to know.
PairedSeries make_pairs(const Observations& evidence, const Comparison& of, MetricId metric);

/// Sets from which pair on a trial of either side ran into its time limit.
void mark_timeouts(const Observations& evidence, PairedSeries& series);

/// The means of both sides over the rounds of each layout, geometric on a ratio scale, in the order of the
/// layouts: of the first `pairs` of a series whose rounds take layouts in turn. Each is one independent
/// value, however many rounds it is of.
std::pair<std::vector<double>, std::vector<double>> layout_means(const PairedSeries& series,
                                                                 std::size_t pairs, Scale scale);

/// What the first `pairs` of a series say; of all runs alike once one ran into its time limit. Where its
/// rounds take layouts in turn, of the layouts' means; where several machines ran them, of values on the
/// level of the main one (machines.hpp).
PairedTest estimate_of(const PairedSeries& series, std::size_t pairs, PairedTestOptions question);

/// The metrics that are shown as having changed besides those that are watched: supporting ones, and those
/// without a better side. They divide the error rate of one among them; 1 at least.
int metrics_moved_besides(const Design& design);

/// Whether all values of both sides can be compared on this scale.
bool all_valid(const PairedSeries& series, Scale scale);

/// By what rules these series are judged on a metric: its margin, the campaign's rounds (of one without
/// plans, all there are, at once), and for supporting metrics their part of the error rate. Where wall time
/// and CPU time are watched and both are judged, each has half of it.
TestFamily family_rules(const Design& design, MetricId metric, std::span<const PairedSeries> series,
                        bool judges_wall_time = true);

/// Whether any comparison has wall times: those of programs that run abreast have none.
bool judges_wall_time(const Observations& evidence);

/// The looks of a campaign that plans any (its rounds_max is above 0), at a comparison with these repeats.
schedule::LookSchedule looks_of(const Rules& rules, const Replication& repeats = {});

/// The rounds of the first planned look at which a change can be called at all on a watched metric of a
/// comparison with these repeats, were it the only one. REQUIRES: looks are planned.
int first_deciding_look(const Design& design, const Replication& repeats = {});

/// A look at data: its place among the looks of a boundary, and the rounds that it takes.
struct LastLook {
  std::shared_ptr<const schedule::StoppingBoundary> boundary;
  std::size_t place = 0, rounds = 0;
};

/// The last planned look that these pairs have reached; of a campaign without plans, a single one at all of
/// them. Empty before the first.
std::optional<LastLook> last_look(const Rules& rules, const PairedSeries& series);

/// How many hardware cores a machine has, by its number, from its sessions' facts; 1 when they don't tell.
double hardware_cores(const Observations& evidence, int machine);

/// How many trials of each cell the rounds to come are to have: as in the judged rounds that were run, else
/// by what a trial costs (the lesser of its times in check and warm-up, as first runs may be slow ones), see
/// schedule::repeats_by_cost, among the ok cells of one workload and setting; a twin as many as its
/// original. One where `allows_repeats` says no, or a cost is not known.
IdTable<CellId, int> plan_repeats(const Observations& evidence,
                                  const std::function<bool(CellId)>& may_repeat);

/// The seconds that runs took: wall times, and of programs that ran abreast, which have none of their own,
/// CPU times, which add up to it. Cost: n·log(n) of the values.
ValueColumn run_times(const Observations& evidence, Observations::Source from = Observations::Source::judged);

/// Values in turns of cells that are run another way: of control rounds, and of pilots.
ValuesByCell values_in_turns(const Observations& evidence, MetricId metric);

/// Seconds that a trial of each cell takes on the average: of its rounds, else of its check. Programs that
/// ran abreast share their core. Without those of which no time is known.
std::map<CellId, double> mean_trial_seconds(const Observations& evidence);

}  // namespace assay::judge
