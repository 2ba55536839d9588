#include "assay/judge/load_notes.hpp"

#include <algorithm>
#include <cmath>
#include <map>
#include <optional>
#include <vector>

#include "assay/judge/paired.hpp"
#include "assay/judge/pairs.hpp"
#include "assay/metrics/catalogue.hpp"
#include "assay/model/plan.hpp"
#include "assay/stats/location.hpp"

namespace assay::inline v1::judge {
namespace {

using metrics::Known;

class LoadNotes {
 public:
  LoadNotes(const Evidence& evidence, Findings& findings) : evidence_(evidence), findings_(findings) {}

  void add() {
    unsustained();
    below(NoteKind::clients_idle, Known::clients_busy, 0.8);
    above(NoteKind::driver_at_limit, Known::driver_busy, 0.7);
    beside();
    sent_late();
    above(NoteKind::connections_used_up, Known::most_outstanding, 1 - 1e-9);
    above(NoteKind::reopened, Known::connections_reopened, 0.01);
    above(NoteKind::slow_connects, Known::longest_connect, 0.9);
    above(NoteKind::busy_at_rest, Known::cpu_at_rest, 0.01);
    changes();
    stalls();
    kept();
    tell();
  }

 private:
  /// Each cell's values by round.
  ByCell by_cells(Known metric) const {
    const auto id = metrics::find(evidence_.design.metrics, metric);
    return id ? by_cell(evidence_.values(*id)) : ByCell{};
  }

  /// The typical value of a cell; 0 where it has none.
  static double typical_of(const ByCell& all, CellId cell) {
    const auto found = all.find(cell);
    return found == all.end() ? 0 : typical(found->second);
  }

  void see(Note note, CellId cell) {
    note.subject = cell;
    note.level = Note::Level::warning;
    auto& seen = seen_[{note.kind, evidence_.design.cells[cell].workload}];
    seen.push_back(std::move(note));
  }

  void above(NoteKind kind, Known metric, double threshold) {
    for (const auto& [cell, rounds] : by_cells(metric))
      if (const double figure = typical(rounds); figure > threshold)
        see({.kind = kind, .figure = figure, .threshold = threshold}, cell);
  }
  void below(NoteKind kind, Known metric, double threshold) {
    for (const auto& [cell, rounds] : by_cells(metric))
      if (const double figure = typical(rounds); figure < threshold)
        see({.kind = kind, .figure = figure, .threshold = threshold}, cell);
  }

  void unsustained() {
    const auto rates = by_cells(Known::request_rate);
    for (const auto& [cell, rounds] : by_cells(Known::sustained)) {
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
      Note note{.kind = NoteKind::unsustained,
                .subject = cell,
                .level = 2 * not_kept < rounds.size() ? Note::Level::note : Note::Level::warning,
                .figure = stats::median(answered),
                .threshold = stats::median(offered),
                .high = static_cast<double>(rounds.size()),
                .count = not_kept};
      if (!evidence_.design.is_twin(cell)) findings_.trust.push_back(std::move(note));  // of each
    }
  }

  void beside() {
    const auto servers = by_cells(Known::server_cpu);
    for (const auto& [cell, rounds] : by_cells(Known::driver_cpu)) {
      constexpr double much = 0.5;
      const double server = typical_of(servers, cell);
      if (server > 0 && typical(rounds) > much * server)
        see({.kind = NoteKind::driver_beside, .figure = typical(rounds) / server, .threshold = much}, cell);
    }
  }

  void sent_late() {
    const auto latencies = by_cells(Known::latency_p50), outstanding = by_cells(Known::most_outstanding);
    for (const auto& [cell, rounds] : by_cells(Known::send_delay)) {
      constexpr double long_time = 0.001, share = 0.1;
      const double latency = typical_of(latencies, cell);
      if (typical_of(outstanding, cell) >= 1) continue;  // they waited for a connection
      const double threshold = latency > 0 ? std::min(long_time, share * latency) : long_time;
      if (typical(rounds) > threshold)
        see({.kind = NoteKind::sent_late, .figure = typical(rounds), .threshold = threshold}, cell);
    }
  }

  /// What `mine` differs by from `its`, where the paired test calls it beyond the margin.
  std::optional<double> called(const std::vector<double>& its, const std::vector<double>& mine) const {
    constexpr double least = 0.02;
    const auto fits_all = [](const std::vector<double>& values) {
      return std::ranges::all_of(values, [](double v) { return fits(Scale::ratio, v); });
    };
    if (its.size() < static_cast<std::size_t>(fewest_rounds) || !fits_all(its) || !fits_all(mine)) return {};
    const Metric rate{.name = "rate", .prefer = Prefer::higher};
    const auto f =
        judge_paired(its, mine, {.metric = rate, .margin = std::max(least, evidence_.design.rules.margin)});
    return f.beyond_margin ? std::optional(f.effect.change()) : std::nullopt;
  }

  void changes() {
    for (const auto& [cell, rounds] : by_cells(Known::late_rate)) {
      std::vector<double> late;
      for (const auto& [round, value] : rounds) late.push_back(value);
      if (const auto change = called(std::vector<double>(late.size(), 1), late))
        see({.kind = NoteKind::changes_under_load, .figure = *change}, cell);
    }
  }

  void stalls() {
    const auto totals = by_cells(Known::request_rate);
    for (const auto& [cell, rounds] : by_cells(Known::steady_rate)) {
      const auto total = totals.find(cell);
      if (total == totals.end() || total->second.size() != rounds.size()) continue;
      std::vector<double> steady, all;
      for (std::size_t i = 0; i < rounds.size(); ++i) {
        steady.push_back(rounds[i].second);
        all.push_back(total->second[i].second);
      }
      const auto change = called(steady, all);
      if (change && *change < 0) see({.kind = NoteKind::stalls, .figure = -*change}, cell);
    }
  }

  /// A server that was started for one round in two, or fewer, was kept up.
  void kept() {
    const auto starts = by_cells(Known::start_time);
    for (const auto& [cell, rounds] : by_cells(Known::request_rate)) {
      const auto started = starts.find(cell);
      const auto times = started == starts.end() ? 0 : started->second.size();
      if (rounds.size() > 1 && 2 * times <= rounds.size())
        see({.kind = NoteKind::kept_servers, .figure = static_cast<double>(times)}, cell);
    }
  }

  void tell() {
    for (auto& [place, notes] : seen_) {
      std::erase_if(notes,
                    [&](const Note& n) { return evidence_.design.is_twin(std::get<CellId>(n.subject)); });
      if (notes.empty()) continue;
      const bool small_is_worst = place.first == NoteKind::clients_idle;
      auto worst = *std::ranges::max_element(notes, {}, [&](const Note& note) {
        return small_is_worst ? -note.figure.value_or(0) : std::abs(note.figure.value_or(0));
      });
      worst.count = notes.size();
      findings_.trust.push_back(std::move(worst));
    }
  }

  const Evidence& evidence_;
  Findings& findings_;
  std::map<std::pair<NoteKind, WorkloadId>, std::vector<Note>> seen_;
};

}  // namespace

void add_load_notes(const Evidence& evidence, Findings& findings) {
  if (metrics::find(evidence.design.metrics, Known::request_rate)) LoadNotes(evidence, findings).add();
}

}  // namespace assay::inline v1::judge
