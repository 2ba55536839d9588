#include "assay/engine/way_chooser.hpp"

#include <algorithm>
#include <boost/math/distributions/students_t.hpp>
#include <cmath>
#include <map>
#include <string>
#include <utility>

#include "assay/judge/program_traits.hpp"
#include "assay/measure/machine.hpp"
#include "assay/metrics/catalogue.hpp"
#include "assay/model/plan.hpp"
#include "assay/model/results.hpp"
#include "assay/schedule/order.hpp"
#include "assay/stats/location.hpp"

namespace assay::engine {

using metrics::MetricKind;
using From = Observations::Source;

namespace {

/// The log ratios of a comparison in pilots, in turns or at once.
std::vector<double> pilot_changes(const Observations& evidence, const Comparison& of, MetricKind kind,
                                  bool at_once) {
  const auto metric = metrics::find(evidence.design.metrics, kind);
  if (!metric) return {};
  const auto& column = evidence.values(*metric, From::pilot);
  std::map<int, std::pair<double, double>> rounds;
  for (std::size_t i = 0; i < column.size(); ++i) {
    if ((column.position[i] < 0) != at_once) continue;
    if (column.cell[i] == of.baseline) rounds[column.round[i]].first = column.value[i];
    if (column.cell[i] == of.candidate) rounds[column.round[i]].second = column.value[i];
  }
  std::vector<double> changes;
  for (const auto& [round, values] : rounds)
    if (values.first > 0 && values.second > 0) changes.push_back(std::log(values.second / values.first));
  return changes;
}

/// What is compared of programs that are run so.
std::vector<MetricKind> times_of(Way way) {
  if (way == Way::abreast) return {MetricKind::cpu_time};
  return {MetricKind::wall_time, MetricKind::cpu_time};
}

double variance(const std::vector<double>& sample) {
  const double mean = stats::mean(sample);
  double squares = 0;
  for (const double value : sample) squares += (value - mean) * (value - mean);
  return squares / static_cast<double>(sample.size() - 1);
}

}  // namespace

bool ways_disagree(const std::vector<double>& in_turns, const std::vector<double>& other, double margin,
                   double level) {
  if (in_turns.size() < 2 || other.size() < 2) return false;
  const double na = static_cast<double>(in_turns.size()), nb = static_cast<double>(other.size());
  const double a = stats::mean(in_turns), b = stats::mean(other), va = variance(in_turns) / na,
               vb = variance(other) / nb;
  const double distance = std::abs(a - b);
  if (distance <= margin) return false;
  if (!(va + vb > 0)) return true;
  const double freedom = (va + vb) * (va + vb) / (va * va / (na - 1) + vb * vb / (nb - 1));
  const boost::math::students_t t(freedom);
  return distance / std::sqrt(va + vb) > quantile(complement(t, level / 2));
}

bool is_steadier(double in_turns, double other, std::size_t comparisons) {
  constexpr double usual = 0.4, gains_below = 0.75;
  if (!(in_turns > 0) || !(other > 0)) return other < in_turns;
  const double weight = static_cast<double>(comparisons);
  return (weight * std::log(other / in_turns) + std::log(usual)) / (weight + 1) < std::log(gains_below);
}

std::vector<WayChooser::Tried> WayChooser::open_workloads() const {
  const auto& design = recorder_.design();
  std::vector<Tried> all;
  for (const auto& of : design.comparisons) {
    if (design.is_twin(of.candidate) || !recorder_.statuses()[of.baseline].is_ok() ||
        !recorder_.statuses()[of.candidate].is_ok())
      continue;
    const auto workload = design.cells[of.candidate].workload;
    if (std::ranges::count(recorder_.log().ways, workload, &WayChoice::workload) > 0) continue;
    auto found = std::ranges::find(all, workload, &Tried::workload);
    if (found == all.end()) found = all.insert(all.end(), Tried{.workload = workload});
    found->comparisons.push_back(of);
    for (const auto one : {of.baseline, of.candidate})
      if (std::ranges::count(found->cells, one) == 0) found->cells.push_back(one);
  }
  return all;
}

void WayChooser::choose(WorkloadId workload, Way way, WayReason reason, double in_turns, double spread) {
  recorder_.add_way_choice(
      {.workload = workload, .way = way, .reason = reason, .spread_in_turns = in_turns, .spread = spread});
}

namespace {

/// What is known of the programs of one setting of a workload, which would run at once.
struct AtOnce {
  std::size_t programs = 0;
  double least = 0, most = 0, memory = 0, seconds = 0;
};

}  // namespace

void WayChooser::begin(const IdTable<CellId, int>& repeats) {
  tried_.clear();
  done_ = 0;
  const auto& design = recorder_.design();
  const Observations evidence(design, recorder_.log());
  if (design.rules.way != Way::automatic || evidence.has_judged_rounds()) return;
  constexpr double much_dearer = 3, part_of_memory = 0.8;
  const auto seen = judge::program_traits(evidence);
  double seconds = 0;
  for (auto& open : open_workloads()) {
    bool waits = false, on_one = true, unlike = false, writes = false;
    std::map<std::string, AtOnce> settings;
    for (const auto cell : open.cells) {
      auto& here = settings[design.cells[cell].setting.text()];
      ++here.programs;
      const auto known = seen.find(cell);
      waits = waits || known == seen.end() || known->second.kind() == ProgramKind::waits;
      unlike = unlike || repeats[cell] > 1;
      writes = writes || runner_.writes_files(cell);
      if (known == seen.end()) continue;
      const auto& program = known->second;
      on_one = on_one && program.kind() == ProgramKind::one_core;
      here.least = here.least == 0 ? program.wall : std::min(here.least, program.wall);
      here.most = std::max(here.most, program.wall);
      here.memory += program.peak_memory;
      here.seconds += program.wall;
    }
    double memory = 0, round = 0;
    std::size_t at_once = 0;
    for (const auto& [setting, here] : settings) {
      unlike = unlike || here.most > much_dearer * here.least;
      memory = std::max(memory, here.memory);
      at_once = std::max(at_once, here.programs);
      round += here.seconds;
    }
    const auto all_can = [&](Way way) {
      return at_once < most_programs_at_once &&  // a twin has room
             std::ranges::all_of(open.cells, [&](CellId cell) { return runner_.can_run(cell, way); });
    };
    open.way = on_one && all_can(Way::abreast) ? Way::abreast : Way::slices;
    if (!all_can(open.way)) continue;
    if (writes) {
      choose(open.workload, Way::turns, WayReason::writes);
    } else if (waits) {
      choose(open.workload, Way::turns, WayReason::waits);
    } else if (unlike) {
      choose(open.workload, Way::turns, WayReason::unlike_costs);
    } else if (const double free = measure::memory_available(); free > 0 && memory > part_of_memory * free) {
      choose(open.workload, Way::turns, WayReason::memory);
    } else {
      seconds += pilots * round;
      tried_.push_back(std::move(open));
    }
  }
  constexpr double part_of_budget = 0.25, much_wanted = 0.2;
  if (budget_ && seconds > part_of_budget * *budget_) {
    for (const auto& tried : tried_) {
      std::vector<double> waits;
      for (const auto cell : tried.cells) waits.push_back(seen.at(cell).core_wait);
      const bool busy = tried.way == Way::abreast && stats::median(waits) > much_wanted;
      choose(tried.workload, busy ? Way::abreast : Way::turns, busy ? WayReason::busy : WayReason::no_time);
    }
    tried_.clear();
  }
  if (tried_.empty() && !recorder_.log().ways.empty()) observer_.on_ways(recorder_.log().ways, design);
}

bool WayChooser::is_control_round(int number) const {
  const auto untested = [](const WayChoice& choice) { return choice.reason == WayReason::busy; };
  return std::ranges::any_of(recorder_.log().ways, untested) &&
         schedule::is_control_round(number, Way::abreast);
}

std::vector<CellId> WayChooser::warm_up_cells(const std::vector<CellId>& cells) const {
  constexpr double short_program = 0.02;
  constexpr std::size_t runs = 3;
  if (recorder_.design().rules.way != Way::automatic) return cells;
  const Observations evidence(recorder_.design(), recorder_.log());
  if (evidence.has_judged_rounds()) return cells;
  const auto seen = judge::program_traits(evidence);
  std::vector<CellId> all;
  for (const auto cell : cells) {
    const auto known = seen.find(cell);
    const bool is_short = known != seen.end() && known->second.wall < short_program &&
                          runner_.allows_repeats(cell) && way_of(cell) == Way::turns;
    all.insert(all.end(), is_short ? runs : 1, cell);
  }
  return all;
}

std::optional<WayChooser::Pilot> WayChooser::next() const {
  if (tried_.empty() || done_ >= pilots) return {};
  // One way a round: what a round does to the machine is then past when the other way's begins.
  Pilot pilot{.in_turns = done_ % 2 == 0, .cells = {}};
  for (const auto& tried : tried_)
    pilot.cells.insert(pilot.cells.end(), tried.cells.begin(), tried.cells.end());
  std::erase_if(pilot.cells, [&](CellId cell) { return !recorder_.statuses()[cell].is_ok(); });
  return pilot.cells.empty() ? std::nullopt : std::optional(std::move(pilot));
}

Way WayChooser::tried_way(CellId cell) const {
  for (const auto& tried : tried_)
    if (std::ranges::count(tried.cells, cell) > 0) return tried.way;
  return Way::turns;
}

void WayChooser::end_round() {
  if (++done_ < pilots || tried_.empty()) return;
  const Observations evidence(recorder_.design(), recorder_.log());
  for (const auto way : {Way::abreast, Way::slices}) decide(evidence, way);
  tried_.clear();
  observer_.on_ways(recorder_.log().ways, recorder_.design());
}

/// Why a workload is run in turns after all, whatever its pilots gain; empty: nothing speaks for that.
std::optional<WayReason> WayChooser::reason_against(const Observations& evidence, const Tried& tried) const {
  const auto& design = recorder_.design();
  const bool ran_badly = std::ranges::any_of(recorder_.log().trials, [&](const Trial& trial) {
    return trial.role == Role::pilot && trial.batch > 0 && trial.outcome != Outcome::ok &&
           std::ranges::count(tried.cells, trial.cell) > 0;
  });
  if (ran_badly) return WayReason::fails_at_once;
  const auto seen = judge::program_traits(evidence);  // with the pilots in turns: it is known better now
  const auto waits = [&](CellId cell) {
    const auto known = seen.find(cell);
    return known == seen.end() || known->second.kind() == ProgramKind::waits;
  };
  if (std::ranges::any_of(tried.cells, waits)) return WayReason::waits;
  const auto times = times_of(tried.way);
  constexpr double level = 0.01;
  const double each = level / static_cast<double>(tried.comparisons.size() * times.size());
  for (const auto time : times) {
    const auto metric = metrics::find(design.metrics, time);
    const double margin = std::log1p(metric ? design.margin_of(*metric) : design.rules.margin);
    for (const auto& of : tried.comparisons)
      if (ways_disagree(pilot_changes(evidence, of, time, false), pilot_changes(evidence, of, time, true),
                        margin, each))
        return WayReason::disagrees;
  }
  return {};
}

/// Of the workloads for which this way was tried.
void WayChooser::decide(const Observations& evidence, Way way) {
  std::vector<const Tried*> left;
  for (const auto& tried : tried_) {
    if (tried.way != way) continue;
    if (const auto reason = reason_against(evidence, tried))
      choose(tried.workload, Way::turns, *reason);
    else
      left.push_back(&tried);
  }
  const auto least_spread = [&](const std::vector<MetricKind>& times, bool at_once) {
    std::optional<double> least;
    for (const auto time : times) {
      std::vector<double> spreads;  // a burst of load that meets one comparison counts for one
      for (const auto* tried : left)
        for (const auto& of : tried->comparisons)
          if (const auto changes = pilot_changes(evidence, of, time, at_once); changes.size() > 1)
            spreads.push_back(std::sqrt(variance(changes)));
      if (spreads.empty()) continue;
      const double typical = stats::median(spreads);
      least = std::min(least.value_or(typical), typical);
    }
    return least;
  };
  const auto in_turns = least_spread({MetricKind::wall_time, MetricKind::cpu_time}, false),
             otherwise = least_spread(times_of(way), true);
  std::size_t comparisons = 0;
  for (const auto* tried : left) comparisons += tried->comparisons.size();
  const bool gains = in_turns && otherwise && is_steadier(*in_turns, *otherwise, comparisons);
  for (const auto* tried : left)
    choose(tried->workload, gains ? way : Way::turns, gains ? WayReason::steadier : WayReason::no_gain,
           in_turns.value_or(0), otherwise.value_or(0));
}

Way WayChooser::way_of(CellId cell) const {
  const auto way = model::way_of(recorder_.design(), recorder_.log().ways, cell);
  return runner_.can_run(cell, way) ? way : Way::turns;
}

}  // namespace assay::engine
