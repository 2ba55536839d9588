#include "assay/report/report.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <set>

#include "assay/metrics/catalogue.hpp"
#include "assay/model/enum_names.hpp"
#include "assay/report/advice.hpp"
#include "assay/report/format.hpp"
#include "assay/report/note_text.hpp"
#include "assay/report/summary_lines.hpp"
#include "assay/report/tables.hpp"
#include "assay/report/way_text.hpp"

namespace assay::report {
namespace {

/// Cells that are left out, those of a candidate for one reason together.
std::vector<LeftOut> left_out_of(const Findings& all) {
  struct Left {
    std::string candidate, where;
    CellStatus state;
    std::size_t more = 0;
  };
  std::vector<Left> grouped;
  for (const auto id : all.design.cells.ids()) {
    const auto& state = all.statuses[id];
    if (state.is_ok() || all.design.is_twin(id)) continue;
    const auto& candidate = all.design.candidate_of(id).name;
    const auto known = std::ranges::find_if(
        grouped, [&](const Left& left) { return left.candidate == candidate && left.state == state; });
    if (known == grouped.end())
      grouped.push_back({candidate, cell_text(all, all.design.cells[id]), state});
    else
      ++known->more;
  }
  std::ranges::stable_sort(grouped, {}, &Left::candidate);
  std::vector<LeftOut> lines;
  for (const auto& left : grouped)
    lines.push_back({left.candidate + (left.where.empty() ? "" : " on " + left.where) +
                         (left.more > 0 ? fmt::format(" and {} more", left.more) : ""),
                     to_string(left.state.code) + ": " + left.state.detail});
  return lines;
}

void add_growth(const Findings& all, MetricId metric, std::vector<Chart>& charts) {
  std::map<std::string, std::vector<const ScalingCurve*>> groups;
  for (const auto& trend : all.scaling) {
    if (trend.metric != metric) continue;
    const auto others = trend.others.text();
    groups[(trend.exponent ? "Growth: " : "Scaling: ") + all.design.metrics[metric].name + ", " +
           all.design.workloads[trend.workload].name + (others.empty() ? "" : ", " + others) + " over " +
           trend.factor]
        .push_back(&trend);
  }
  for (auto& [heading, trends] : groups) {
    const bool sizes = trends.front()->throughput.empty();
    charts.push_back({heading,
                      sizes ? "typical values; both axes are logarithmic" : "what is done in the same time",
                      false, GrowthChart{std::move(trends)}});
  }
}

/// Of three candidates on: how values go from one to the next.
void add_typical(const Findings& all, MetricId metric, WorkloadId workload, const std::string& where,
                 std::vector<Chart>& charts) {
  constexpr std::size_t fewest = 3;
  TypicalChart chart{.metric = metric, .cells = {}};
  std::set<CandidateId> candidates;
  for (const auto id : all.design.cells.ids()) {
    const auto& cell = all.design.cells[id];
    if (cell.workload != workload || all.design.is_twin(id) || !all.statuses[id].is_ok()) continue;
    chart.cells.push_back(id);
    candidates.insert(cell.candidate);
  }
  if (candidates.size() >= fewest)
    charts.push_back({"Typical values" + where,
                      "the median of each candidate, with nine tenths of its trials", false,
                      std::move(chart)});
}

/// Where the runs of a comparison changed otherwise than typical ones is seen here.
void add_deciles(const Findings& all, MetricId metric, std::vector<Chart>& charts) {
  constexpr std::ptrdiff_t most_lines = 24;
  for (const auto workload : all.design.workloads.ids()) {
    const auto lines = std::ranges::count_if(all.findings, [&](const Finding& f) {
      return f.metric == metric && !f.deciles.empty() && !all.design.is_twin(f.comparison.candidate) &&
             all.candidate_cell(f).workload == workload;
    });
    if (lines == 0 || lines > most_lines) continue;
    charts.push_back(
        {"Change by decile" +
             (all.design.workloads.size() > 1 ? " on " + all.design.workloads[workload].name : "") + ": " +
             all.design.metrics[metric].name,
         "the fastest runs against the fastest, … the slowest against the slowest; level where one "
         "change holds for all runs",
         false, DecileChart{metric, workload}});
  }
}

void add_trials(const Findings& all, MetricId metric, bool over_rounds, std::vector<Chart>& charts) {
  if (all.design.metrics[metric].exact) return;  // all trials are alike
  for (const auto workload : all.design.workloads.ids()) {
    std::set<CellId> cells;
    for (const auto& f : all.findings)
      if (f.metric == metric && all.candidate_cell(f).workload == workload)
        cells.insert({f.comparison.baseline, f.comparison.candidate});
    const bool all_zero = std::ranges::all_of(all.findings, [&](const Finding& f) {
      return f.metric != metric ||
             !(cells.contains(f.comparison.baseline) || cells.contains(f.comparison.candidate)) ||
             (f.baseline_typical == 0 && f.candidate_typical == 0);
    });
    if (all_zero) continue;
    constexpr std::size_t most_cells = 40;  // lines and rows that can be distinguished
    if (cells.empty() || cells.size() > most_cells) continue;
    const auto where = (all.design.workloads.size() > 1 ? " on " + all.design.workloads[workload].name : "") +
                       ": " + all.design.metrics[metric].name;
    add_typical(all, metric, workload, where, charts);
    TrialsChart chart{.metric = metric, .cells = {cells.begin(), cells.end()}};
    charts.push_back({"Trials" + where,
                      "each dot is a trial; of many trials, the middle half and nine tenths", false, chart});
    if (!over_rounds) continue;
    chart.over_rounds = true;
    charts.push_back(
        {"Over the rounds" + where, "each trial as a share of its cell's typical value", true, chart});
  }
}

/// A chart for each place where trials have many values of the metric.
void add_timelines(const Findings& all, MetricId metric, std::vector<Chart>& charts) {
  constexpr std::size_t most_places = 12;
  std::map<std::string, std::vector<CellId>> places;
  std::vector<std::string> order;
  for (const auto& within : all.within_trials) {
    if (within.metric != metric) continue;
    const auto where = cell_text(all, all.design.cells[within.cell]);
    const auto [place, added] = places.try_emplace(where);
    if (added) order.push_back(where);
    place->second.push_back(within.cell);
  }
  if (order.size() > most_places) order.resize(most_places);
  for (const auto& where : order)
    charts.push_back(
        {"Within the trials" + (where.empty() ? "" : ", " + where) + ": " + all.design.metrics[metric].name,
         "the median over all trials, with the band from 10 to 90 %", false,
         TimelineChart{metric, places[where]}});
}

/// Of servers: latency by quantile at each place, and rates and latencies over each factor that has numbers
/// for levels.
void add_servers(const Findings& all, const Record& record, std::vector<Chart>& charts) {
  constexpr std::size_t most_places = 12;
  std::set<CellId> served;
  for (const auto& trial : record.log.trials)
    if (!trial.latencies.empty() && !all.design.is_twin(trial.cell) && all.statuses[trial.cell].is_ok())
      served.insert(trial.cell);
  std::vector<std::pair<std::string, std::vector<CellId>>> places;
  std::map<WorkloadId, std::vector<CellId>> workloads;
  for (const auto cell : served) {
    const auto where = cell_text(all, all.design.cells[cell]);
    auto place = std::ranges::find(places, where, [](const auto& p) { return p.first; });
    if (place == places.end()) place = places.insert(places.end(), {where, {}});
    place->second.push_back(cell);
    workloads.try_emplace(all.design.cells[cell].workload);
  }
  for (const auto id : all.design.cells.ids())  // also those whose rate is not sustained, without latencies
    if (const auto workload = workloads.find(all.design.cells[id].workload);
        workload != workloads.end() && !all.design.is_twin(id) && all.statuses[id].is_ok())
      workload->second.push_back(id);
  if (places.size() > most_places) places.resize(most_places);
  for (auto& [where, cells] : places)
    charts.push_back({"Latency by quantile" + (where.empty() ? "" : ", " + where),
                      "of all judged trials together; failed requests count as the slowest", false,
                      LatencyChart{std::move(cells)}});
  for (const auto& [workload, cells] : workloads)
    for (const auto known : {metrics::MetricKind::latency_p50, metrics::MetricKind::latency_p99})
      if (const auto metric = metrics::find(all.design.metrics, known);
          metric && !all.design.metrics[*metric].request.watched)
        add_typical(all, *metric, workload,
                    (workloads.size() > 1 ? " on " + all.design.workloads[workload].name : "") + ": " +
                        metrics::name_of(known),
                    charts);
  for (auto& [workload, cells] : workloads)
    for (const auto& factor : all.design.factors) {
      std::set<double> levels;
      for (const auto cell : cells) {
        const auto level = all.design.cells[cell].setting.levels.find(factor.name);
        if (level == all.design.cells[cell].setting.levels.end()) continue;
        if (const auto number = number_of(level->second)) levels.insert(*number);
      }
      constexpr std::size_t fewest = 3;
      if (levels.size() < fewest) continue;
      for (const auto known : {metrics::MetricKind::request_rate, metrics::MetricKind::latency_p50,
                               metrics::MetricKind::latency_p99})
        if (const auto metric = metrics::find(all.design.metrics, known))
          charts.push_back({metrics::name_of(known) + " over " + factor.name +
                                (workloads.size() > 1 ? ", " + all.design.workloads[workload].name : ""),
                            "typical values; both axes are logarithmic", false,
                            SweepChart{*metric, factor.name, cells}});
    }
}

std::vector<Chart> charts_of(const Findings& all, const Record* record) {
  std::vector<Chart> charts;
  if (record != nullptr) add_servers(all, *record, charts);
  for (const auto metric : all.design.metrics.ids()) {
    if (!all.design.metrics[metric].request.watched) continue;
    add_growth(all, metric, charts);
    if (record == nullptr) continue;
    add_deciles(all, metric, charts);
    add_timelines(all, metric, charts);
    const bool rounds = std::ranges::any_of(record->log.rounds, [](const Round& r) { return r.number > 0; });
    add_trials(all, metric, rounds, charts);
  }
  return charts;
}

std::vector<ProgramLine> programs_of(const Findings& all) {
  constexpr std::size_t short_commit = 10;
  std::vector<ProgramLine> lines;
  for (const auto& candidate : all.design.candidates)
    if (!candidate.twin_of)
      lines.push_back({candidate.name, candidate.from.identity, candidate.from.commit.substr(0, short_commit),
                       candidate.from.compiler, candidate.from.flags});
  return lines;
}

std::vector<std::pair<std::string, std::string>> facts_of(const Findings& all, const Record* record) {
  std::vector<std::pair<std::string, std::string>> facts = {
      {"rounds", std::to_string(all.rounds)}, {"seed of the order", std::to_string(all.design.rules.seed)}};
  if (record != nullptr && !record->log.sessions.empty())
    for (const auto& fact : record->log.sessions.back().facts)
      if (fact.name != "fingerprint") facts.emplace_back(fact.name, fact.value);
  return facts;
}

/// How much was compared, and in what time.
std::string coverage_text(const Findings& all) {
  std::set<Comparison> comparisons;
  std::size_t least = 0, most = 0;
  for (const auto& f : all.findings) {
    if (!is_watched(all, f) || all.metric_of(f).exact || all.design.is_twin(f.comparison.candidate)) continue;
    least = comparisons.empty() ? f.rounds : std::min(least, f.rounds);
    most = std::max(most, f.rounds);
    comparisons.insert(f.comparison);
  }
  if (comparisons.empty()) return {};
  auto text = fmt::format(
      "{} comparison{}, {}", comparisons.size(), comparisons.size() == 1 ? "" : "s",
      least == most ? fmt::format("{} rounds", most) : fmt::format("{} to {} rounds", least, most));
  return all.measured_seconds > 0 ? text + ", " + duration(all.measured_seconds) : text;
}

}  // namespace

Report make_report(const Findings& all, const Record* record) {
  Report report{.title = all.design.title.empty() ? "Findings" : all.design.title,
                .extent = coverage_text(all),
                .ways = way_lines(all.design, all.ways, all.wall_in_turns),
                .warning = bad_twin_text(all),
                .provisional = {},
                .confirmations = confirmation_lines(all),
                .candidates = summarize_candidates(all),
                .blocks = comparison_tables(all),
                .views = matrix_views(all),
                .profiles = make_profiles(all),
                .aggregates = report::aggregate_lines(all),
                .parts = part_lines(all),
                .trends = trend_lines(all),
                .latencies = latency_lines(all),
                .requirements = requirement_lines(all),
                .first_calls = first_call_lines(all),
                .twins = twin_lines(all),
                .other_changes = other_changes(all),
                .charts = charts_of(all, record),
                .left_out = left_out_of(all),
                .notes = {},
                .programs = programs_of(all),
                .facts = facts_of(all, record),
                .repeat = repeat_command(all.design)};
  if (all.provisional)
    report.provisional = fmt::format(
        "provisional, the campaign {} after {} whole rounds",
        all.state == CampaignState::interrupted ? "was interrupted" : "is measured still, or was cut off",
        all.rounds);
  for (const auto& note : all.notes) {
    const auto [about, text] = note_text(all.design, note);
    std::string candidate;
    if (const auto* cell = std::get_if<CellId>(&note.subject))
      candidate = all.design.candidate_of(*cell).name;
    if (const auto* id = std::get_if<CandidateId>(&note.subject)) candidate = all.design.candidates[*id].name;
    report.notes.push_back({about, text, candidate, note.level, note.kind});
  }
  return report;
}

}  // namespace assay::report
