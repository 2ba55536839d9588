#include <algorithm>
#include <cmath>
#include <map>
#include <optional>
#include <vector>

#include "assay/judge/notes.hpp"
#include "assay/judge/paired_series.hpp"
#include "assay/judge/paired_test.hpp"
#include "assay/metrics/catalogue.hpp"
#include "assay/model/plan.hpp"
#include "assay/stats/location.hpp"

namespace assay::judge {
namespace {

using metrics::MetricKind;

class LoadNotes {
 public:
  LoadNotes(const Observations& evidence, Findings& findings) : evidence_(evidence), findings_(findings) {}

  void add() {
    unsustained();
    below(NoteKind::clients_idle, MetricKind::clients_busy, 0.8);
    above(NoteKind::driver_saturated, MetricKind::driver_busy, 0.7);
    shared_cores();
    sent_late();
    above(NoteKind::connections_used_up, MetricKind::most_outstanding, 1 - 1e-9);
    above(NoteKind::reopened, MetricKind::connections_reopened, 0.01);
    above(NoteKind::slow_connects, MetricKind::longest_connect, 0.9);
    above(NoteKind::cpu_while_idle, MetricKind::cpu_at_rest, 0.01);
    changes();
    stalls();
    reused_servers();
    add_note();
  }

 private:
  /// Each cell's values by round.
  const ValuesByCell& by_cells(MetricKind metric) const {
    static const ValuesByCell nothing;
    const auto id = metrics::find(evidence_.design.metrics, metric);
    return id ? evidence_.by_cell(*id) : nothing;
  }

  /// The typical value of a cell; 0 where it has none.
  static double typical_of(const ValuesByCell& all, CellId cell) {
    const auto found = all.find(cell);
    return found == all.end() ? 0 : median_of_values(found->second);
  }

  void see(Note note, CellId cell) {
    note.subject = cell;
    note.level = Note::Level::warning;
    auto& seen = seen_[{note.kind, evidence_.design.cells[cell].workload}];
    seen.push_back(std::move(note));
  }

  void above(NoteKind kind, MetricKind metric, double threshold) {
    for (const auto& [cell, rounds] : by_cells(metric))
      if (const double figure = median_of_values(rounds); figure > threshold)
        see({.kind = kind, .value = figure, .threshold = threshold}, cell);
  }
  void below(NoteKind kind, MetricKind metric, double threshold) {
    for (const auto& [cell, rounds] : by_cells(metric))
      if (const double figure = median_of_values(rounds); figure < threshold)
        see({.kind = kind, .value = figure, .threshold = threshold}, cell);
  }

  void unsustained() {
    const auto& rates = by_cells(MetricKind::request_rate);
    for (const auto& [cell, rounds] : by_cells(MetricKind::sustained)) {
      const auto not_kept =
          static_cast<std::size_t>(std::ranges::count_if(rounds, [](const auto& r) { return r.second < 1; }));
      const auto rate = rates.find(cell);
      if (not_kept == 0 || rate == rates.end()) continue;
      std::vector<double> answered, offered;
      for (const auto& [round, share] : rounds) {
        const auto its = std::ranges::find(rate->second, round, [](const auto& r) { return r.first; });
        if (share >= 1 || !(share > 0) || its == rate->second.end()) continue;
        answered.push_back(its->second);
        offered.push_back(its->second / share);
      }
      if (answered.empty()) continue;
      Note note{.kind = NoteKind::rate_not_sustained,
                .subject = cell,
                .level = 2 * not_kept < rounds.size() ? Note::Level::note : Note::Level::warning,
                .value = stats::median(answered),
                .threshold = stats::median(offered),
                .high = static_cast<double>(rounds.size()),
                .count = not_kept};
      if (!evidence_.design.is_twin(cell)) findings_.notes.push_back(std::move(note));  // of each
    }
  }

  void shared_cores() {
    const auto& servers = by_cells(MetricKind::server_cpu);
    for (const auto& [cell, rounds] : by_cells(MetricKind::driver_cpu)) {
      constexpr double much = 0.5;
      const double server = typical_of(servers, cell);
      if (server > 0 && median_of_values(rounds) > much * server)
        see({.kind = NoteKind::driver_beside, .value = median_of_values(rounds) / server, .threshold = much},
            cell);
    }
  }

  void sent_late() {
    const auto &latencies = by_cells(MetricKind::latency_p50),
               &outstanding = by_cells(MetricKind::most_outstanding);
    for (const auto& [cell, rounds] : by_cells(MetricKind::send_delay)) {
      constexpr double long_time = 0.001, share = 0.1;
      const double latency = typical_of(latencies, cell);
      if (typical_of(outstanding, cell) >= 1) continue;  // they waited for a connection
      const double threshold = latency > 0 ? std::min(long_time, share * latency) : long_time;
      if (median_of_values(rounds) > threshold)
        see({.kind = NoteKind::sent_late, .value = median_of_values(rounds), .threshold = threshold}, cell);
    }
  }

  /// What `mine` differs by from `its`, where the paired test calls it beyond the margin.
  std::optional<double> called(const std::vector<double>& its, const std::vector<double>& mine) const {
    constexpr double least = 0.02;
    const auto fits_all = [](const std::vector<double>& values) {
      return std::ranges::all_of(values, [](double v) { return is_valid_value(Scale::ratio, v); });
    };
    if (its.size() < static_cast<std::size_t>(fewest_rounds) || !fits_all(its) || !fits_all(mine)) return {};
    const Metric rate{.name = "rate", .direction = Direction::higher};
    const auto f =
        judge_paired(its, mine, {.metric = rate, .margin = std::max(least, evidence_.design.rules.margin)});
    return f.beyond_margin ? std::optional(f.effect.change()) : std::nullopt;
  }

  void changes() {
    for (const auto& [cell, rounds] : by_cells(MetricKind::late_rate)) {
      std::vector<double> late;
      for (const auto& [round, value] : rounds) late.push_back(value);
      if (const auto change = called(std::vector<double>(late.size(), 1), late))
        see({.kind = NoteKind::changes_under_load, .value = *change}, cell);
    }
  }

  void stalls() {
    const auto& totals = by_cells(MetricKind::request_rate);
    for (const auto& [cell, rounds] : by_cells(MetricKind::steady_rate)) {
      const auto total = totals.find(cell);
      if (total == totals.end() || total->second.size() != rounds.size()) continue;
      std::vector<double> steady, all;
      for (std::size_t i = 0; i < rounds.size(); ++i) {
        steady.push_back(rounds[i].second);
        all.push_back(total->second[i].second);
      }
      const auto change = called(steady, all);
      if (change && *change < 0) see({.kind = NoteKind::stalls, .value = -*change}, cell);
    }
  }

  /// A server that was started for one round in two, or fewer, was kept up.
  void reused_servers() {
    const auto& starts = by_cells(MetricKind::start_time);
    for (const auto& [cell, rounds] : by_cells(MetricKind::request_rate)) {
      const auto started = starts.find(cell);
      const auto times = started == starts.end() ? 0 : started->second.size();
      if (rounds.size() > 1 && 2 * times <= rounds.size())
        see({.kind = NoteKind::servers_reused, .value = static_cast<double>(times)}, cell);
    }
  }

  void add_note() {
    for (auto& [place, notes] : seen_) {
      std::erase_if(notes,
                    [&](const Note& n) { return evidence_.design.is_twin(std::get<CellId>(n.subject)); });
      if (notes.empty()) continue;
      const bool small_is_worst = place.first == NoteKind::clients_idle;
      auto worst = *std::ranges::max_element(notes, {}, [&](const Note& note) {
        return small_is_worst ? -note.value.value_or(0) : std::abs(note.value.value_or(0));
      });
      worst.count = notes.size();
      findings_.notes.push_back(std::move(worst));
    }
  }

  const Observations& evidence_;
  Findings& findings_;
  std::map<std::pair<NoteKind, WorkloadId>, std::vector<Note>> seen_;
};

}  // namespace

void add_load_notes(const Observations& evidence, Findings& findings) {
  if (metrics::find(evidence.design.metrics, MetricKind::request_rate)) LoadNotes(evidence, findings).add();
}

}  // namespace assay::judge
