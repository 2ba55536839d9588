#include "assay/judge/latencies.hpp"

#include <algorithm>
#include <boost/math/distributions/students_t.hpp>
#include <cmath>
#include <limits>
#include <map>
#include <set>
#include <utility>

#include "assay/metrics/catalogue.hpp"
#include "assay/stats/location.hpp"
#include "assay/stats/random.hpp"

namespace assay::judge {

namespace {

/// The buckets of one side's rounds, as rows of one width.
class Buckets {
 public:
  explicit Buckets(std::span<const RoundLatencies> rounds) : rounds_(rounds) {
    int last = std::numeric_limits<int>::min();
    first_ = std::numeric_limits<int>::max();
    for (const auto& round : rounds)
      for (const auto& [bucket, count] : round.latencies.buckets()) {
        first_ = std::min(first_, bucket);
        last = std::max(last, bucket);
      }
    width_ = last < first_ ? 0 : static_cast<std::size_t>(last - first_) + 1;
    counts_.assign(width_ * rounds.size(), 0);
    for (std::size_t r = 0; r < rounds.size(); ++r)
      for (const auto& [bucket, count] : rounds[r].latencies.buckets())
        counts_[r * width_ + static_cast<std::size_t>(bucket - first_)] = static_cast<double>(count);
  }

  /// The logarithm of the quantile where each round counts so many times; empty where it is among the failed.
  std::optional<double> quantile(std::span<const double> times, double p) const {
    std::vector<double> sum(width_, 0);
    double all = 0;
    for (std::size_t r = 0; r < rounds_.size(); ++r) {
      if (times[r] == 0) continue;
      for (std::size_t b = 0; b < width_; ++b) sum[b] += times[r] * counts_[r * width_ + b];
      all += times[r] * static_cast<double>(rounds_[r].latencies.count() + rounds_[r].failed);
    }
    double left = std::ceil(p * all - 1e-9);
    for (std::size_t b = 0; b < width_; ++b)
      if ((left -= sum[b]) <= 0)
        return std::log(stats::LogHistogram::middle_of(first_ + static_cast<int>(b)));
    return {};
  }

  double requests() const {
    double all = 0;
    for (const auto& round : rounds_) all += static_cast<double>(round.latencies.count() + round.failed);
    return all;
  }

 private:
  std::span<const RoundLatencies> rounds_;
  int first_ = 0;
  std::size_t width_ = 0;
  std::vector<double> counts_;
};

std::map<CellId, std::map<int, RoundLatencies>> by_round(const Observations& evidence) {
  std::map<CellId, std::map<int, RoundLatencies>> all;
  const auto failed = metrics::find(evidence.design.metrics, metrics::MetricKind::failed_requests);
  for (const auto* trial : evidence.with_latencies()) {
    auto& round = all[trial->cell][*trial->round];
    round.latencies.merge(stats::LogHistogram::of_text(trial->latencies));
    for (const auto& reading : trial->readings)
      if (reading.metric == failed)
        round.failed +=
            static_cast<std::uint64_t>(std::llround(reading.value / 100 * static_cast<double>(trial->calls)));
  }
  return all;
}

}  // namespace

std::optional<PooledLatency> pooled_latency(std::span<const RoundLatencies> baseline,
                                            std::span<const RoundLatencies> candidate, double p) {
  constexpr std::size_t fewest_rounds = 8;
  constexpr double fewest_beyond = 10, level = 0.95;
  constexpr int draws = 400;
  const auto n = baseline.size();
  if (n < fewest_rounds || candidate.size() != n) return {};
  const Buckets a(baseline), b(candidate);
  if (std::min(a.requests(), b.requests()) * (1 - p) < fewest_beyond) return {};
  std::vector<double> times(n, 1);
  const auto its = a.quantile(times, p), mine = b.quantile(times, p);
  if (!its || !mine) return {};
  stats::Random random(n, static_cast<std::uint64_t>(p * 1e6));
  std::vector<double> changes;
  for (int draw = 0; draw < draws; ++draw) {
    std::ranges::fill(times, 0);
    for (std::size_t i = 0; i < n; ++i) times[random.below(n)] += 1;
    const auto x = a.quantile(times, p), y = b.quantile(times, p);
    if (x && y) changes.push_back(*y - *x);
  }
  if (changes.size() < draws / 2) return {};
  const boost::math::students_t t(static_cast<double>(n) - 1);
  const double half = quantile(t, (1 + level) / 2) * std::sqrt(stats::variance(changes));
  const double change = *mine - *its;
  return PooledLatency{.quantile = p,
                       .baseline = std::exp(*its),
                       .candidate = std::exp(*mine),
                       .effect = {Scale::ratio, std::exp(change)},
                       .interval = {std::exp(change - half), std::exp(change + half), level}};
}

std::vector<PooledLatency> pooled_latencies(const Observations& evidence) {
  constexpr std::size_t most_comparisons = 24;
  std::vector<PooledLatency> all;
  const auto rounds = by_round(evidence);
  std::size_t comparisons = 0;
  for (const auto& comparison : evidence.design.comparisons) {
    const auto its = rounds.find(comparison.baseline), mine = rounds.find(comparison.candidate);
    if (evidence.design.is_twin(comparison.candidate) || its == rounds.end() || mine == rounds.end() ||
        !evidence.is_ok(comparison) || comparisons >= most_comparisons)
      continue;
    std::vector<RoundLatencies> a, b;
    for (const auto& [round, latencies] : its->second)
      if (const auto same = mine->second.find(round); same != mine->second.end()) {
        a.push_back(latencies);
        b.push_back(same->second);
      }
    ++comparisons;
    for (const double p : {0.5, 0.9, 0.99, 0.999})
      if (auto found = pooled_latency(a, b, p)) {
        found->comparison = comparison;
        all.push_back(*found);
      }
  }
  return all;
}

namespace {

constexpr double near_ceiling = 0.01;

/// Where a metric's values lie beyond its ceiling: the furthest of them, and in how many cells.
void note_values_beyond(const Observations& evidence, MetricId id, Findings& findings) {
  const auto& metric = evidence.design.metrics[id];
  const double ceiling = *metric.request.ceiling;
  const double side = metric.direction == Direction::lower ? -1 : 1;
  Note note{
      .kind = NoteKind::beyond_saturation, .level = Note::Level::warning, .metric = id, .threshold = ceiling};
  std::set<CellId> cells;
  const auto& column = evidence.values(id);
  for (std::size_t i = 0; i < column.size(); ++i) {
    if (!(side * (column.value[i] - ceiling) > near_ceiling * std::abs(ceiling))) continue;
    cells.insert(column.cell[i]);
    if (note.value && side * (column.value[i] - *note.value) <= 0) continue;
    note.value = column.value[i];
    note.subject = column.cell[i];
  }
  note.count = cells.size();
  if (note.value) findings.notes.push_back(std::move(note));
}

}  // namespace

void apply_saturation(const Observations& evidence, Findings& findings) {
  for (auto& f : findings.findings) {
    const auto ceiling = evidence.design.metrics[f.metric].request.ceiling;
    if (!ceiling || *ceiling == 0) continue;
    const auto note_if_there = [&](CellId cell, double typical) {
      if (std::abs(typical / *ceiling - 1) > near_ceiling) return false;
      f.notes.push_back({.kind = NoteKind::at_saturation,
                         .subject = cell,
                         .level = Note::Level::warning,
                         .metric = f.metric,
                         .value = typical,
                         .threshold = *ceiling});
      return true;
    };
    const bool its = note_if_there(f.comparison.baseline, f.baseline_typical);
    const bool mine = note_if_there(f.comparison.candidate, f.candidate_typical);
    if (!its || !mine) continue;
    f.verdict = Verdict::unclear;
    f.rounds_to_decide = RoundsToDecide{.obstacle = RoundsToDecide::Obstacle::saturation};
  }
  for (const auto id : evidence.design.metrics.ids())
    if (const auto ceiling = evidence.design.metrics[id].request.ceiling; ceiling && *ceiling != 0)
      note_values_beyond(evidence, id, findings);
}

}  // namespace assay::judge
