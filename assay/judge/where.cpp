#include "assay/judge/where.hpp"

#include <algorithm>
#include <cmath>
#include <functional>
#include <limits>
#include <tuple>
#include <utility>
#include <vector>

#include "assay/judge/judge.hpp"
#include "assay/metrics/catalogue.hpp"
#include "assay/stats/largest_change.hpp"
#include "assay/stats/location.hpp"

namespace assay::judge {

namespace {

constexpr double level = 0.05, least_share = 0.001;

/// A row of the table: what both took in each round.
struct Row {
  std::string name;
  std::vector<double> baseline, candidate;

  explicit Row(std::size_t rounds, std::string of = {})
      : name(std::move(of)), baseline(rounds), candidate(rounds) {}
  double sum() const {
    double all = 0;
    for (std::size_t r = 0; r < baseline.size(); ++r) all += baseline[r] + candidate[r];
    return all;
  }
  void add(const Row& other, double times = 1) {
    for (std::size_t r = 0; r < baseline.size(); ++r) {
      baseline[r] += times * other.baseline[r];
      candidate[r] += times * other.candidate[r];
    }
  }
  std::vector<double> differences() const {
    std::vector<double> all(baseline.size());
    for (std::size_t r = 0; r < all.size(); ++r) all[r] = candidate[r] - baseline[r];
    return all;
  }
};

TimePart part_of(const Row& row, const stats::RowChange& change) {
  return {.name = row.name,
          .baseline = stats::mean(row.baseline),
          .candidate = stats::mean(row.candidate),
          .change = change.mean,
          .low = change.low,
          .high = change.high,
          .p = change.p,
          .named = change.named};
}

/// What a function spent in libraries, by their functions.
std::vector<LibraryTime> library_times(std::span<const SampledRound> rounds, const std::string& function) {
  std::map<std::string, LibraryTime> by_name;
  const double each = 1 / static_cast<double>(rounds.size());
  for (const auto& round : rounds)
    for (const auto& [times, side] : {std::pair(&round.baseline, &LibraryTime::baseline),
                                      std::pair(&round.candidate, &LibraryTime::candidate)})
      if (const auto found = times->libraries.find(function); found != times->libraries.end())
        for (const auto& [name, seconds] : found->second) by_name[name].*side += seconds * each;
  std::vector<LibraryTime> all;
  for (auto& [name, time] : by_name) {
    time.name = name;
    all.push_back(std::move(time));
  }
  std::ranges::stable_sort(all, std::greater(), [](const LibraryTime& of) { return std::abs(of.change()); });
  constexpr std::size_t most = 5;
  if (all.size() > most) all.resize(most);
  return all;
}

/// By itself.
TimePart part_alone(const Row& row, std::uint64_t seed) {
  const std::vector<std::vector<double>> one = {row.differences()};
  return part_of(row, stats::test_rows(one, level, seed).front());
}

/// What is known of the functions' code.
void add_code(Where& where, std::span<const SampledRound> rounds, const CodeSampleLog& samples,
              std::uint64_t seed) {
  std::map<std::string, CodeId> ids;
  for (const auto id : samples.code.ids()) ids.emplace(samples.code[id].name, id);
  std::map<CodeId, const CodeMatch*> matches;
  Row group(rounds.size(), "alone");
  for (const auto& match : samples.matches) {
    if (match.comparison != where.comparison) continue;
    matches[match.code] = &match;
    const auto& name = samples.code[match.code].name;
    if (match.likeness == CodeLikeness::other) where.other_code.push_back(name);
    if (match.likeness == CodeLikeness::alone) where.alone_names.push_back(name);
    if (match.likeness != CodeLikeness::alone && !match.calls_alone) continue;
    for (std::size_t r = 0; r < rounds.size(); ++r) {
      const auto in = [&](const FunctionTimes& times) {
        const auto found = times.functions.find(name);
        return found == times.functions.end() ? 0 : found->second;
      };
      group.baseline[r] += in(rounds[r].baseline);
      group.candidate[r] += in(rounds[r].candidate);
    }
  }
  std::ranges::sort(where.other_code);
  std::ranges::sort(where.alone_names);
  if (!where.alone_names.empty()) where.alone = part_alone(group, seed);
  for (auto& function : where.functions) {
    const auto id = ids.at(function.name);
    function.file = samples.code[id].file;
    const auto found = matches.find(id);
    if (found == matches.end()) continue;
    const auto& match = *found->second;
    function.code = match.likeness;
    if (match.baseline_in_line && match.candidate_in_line)
      function.within_line = std::pair(*match.baseline_in_line, *match.candidate_in_line);
  }
}

}  // namespace

Where judge_where(const Comparison& of, std::span<const SampledRound> rounds, std::uint64_t seed) {
  Where where{.comparison = of, .rounds = rounds.size()};
  if (rounds.empty()) return where;
  std::map<std::string, Row> functions;
  Row whole(rounds.size()), unsampled(rounds.size());
  std::vector<double> periods;
  for (std::size_t r = 0; r < rounds.size(); ++r) {
    periods.push_back(rounds[r].period);
    const auto take = [&](const FunctionTimes& trial, std::vector<double> Row::*side) {
      double sampled = 0;
      for (const auto& [name, seconds] : trial.functions) {
        (functions.try_emplace(name, rounds.size(), name).first->second.*side)[r] += seconds;
        sampled += seconds;
      }
      (whole.*side)[r] = trial.cpu;
      (unsampled.*side)[r] = trial.cpu - sampled;
    };
    take(rounds[r].baseline, &Row::baseline);
    take(rounds[r].candidate, &Row::candidate);
  }
  where.period = stats::median(periods);
  where.sampled_share = whole.sum() > 0 ? 1 - unsampled.sum() / whole.sum() : 0;

  where.all_functions = functions.size();
  std::vector<Row> rows;
  Row small(rounds.size());
  for (auto& [name, row] : functions)
    if (row.sum() >= least_share * whole.sum())
      rows.push_back(std::move(row));
    else
      small.add(row);
  rows.push_back(std::move(small));
  rows.push_back(unsampled);
  std::vector<std::vector<double>> table;
  for (const auto& row : rows) table.push_back(row.differences());
  const auto changes = stats::test_rows(table, level, seed);
  const std::size_t named = rows.size() - 2;
  where.small = part_of(rows[named], changes[named]);
  where.unsampled = part_of(rows[named + 1], changes[named + 1]);
  std::vector<std::size_t> order(named);
  for (std::size_t i = 0; i < named; ++i) order[i] = i;
  std::ranges::stable_sort(order, [&](std::size_t a, std::size_t b) {
    if (changes[a].named != changes[b].named) return changes[a].named;
    return std::abs(changes[a].mean) > std::abs(changes[b].mean);
  });
  auto rest = whole;
  for (const auto i : order) {
    where.functions.push_back(part_of(rows[i], changes[i]));
    where.functions.back().libraries = library_times(rounds, rows[i].name);
    if (changes[i].named && where.shown < most_functions_shown) {
      ++where.shown;
      rest.add(rows[i], -1);
    }
  }
  if (where.unsampled.named) rest.add(unsampled, -1);
  where.rest = part_alone(rest, seed);
  where.whole = part_alone(whole, seed);
  return where;
}

std::vector<Where> judge_code_samples(const Design& design, const Log& log) {
  const auto& samples = log.samples;
  std::map<CellId, std::map<int, const SampledTrial*>> trials;
  for (const auto& trial : samples.trials) trials[trial.cell][trial.round] = &trial;
  const auto times_of = [&](const SampledTrial& trial) {
    const double each = trial.requests > 0 ? trial.requests : 1;
    FunctionTimes times{.functions = {}, .libraries = {}, .cpu = trial.cpu / each};
    for (const auto& count : trial.counts) {
      const auto& name = samples.code[count.code].name;
      const double seconds = static_cast<double>(count.samples) * trial.period / each;
      times.functions[name] += seconds;
      if (count.library) times.libraries[name][samples.code[*count.library].name] += seconds;
    }
    return times;
  };
  std::vector<Where> all;
  for (const auto& of : design.comparisons) {
    if (design.is_twin(of.candidate)) continue;
    std::vector<SampledRound> rounds;
    for (const auto& [number, baseline] : trials[of.baseline])
      if (const auto found = trials[of.candidate].find(number); found != trials[of.candidate].end())
        rounds.push_back({.baseline = times_of(*baseline),
                          .candidate = times_of(*found->second),
                          .period = baseline->period});
    if (rounds.empty()) continue;
    auto where = judge_where(of, rounds, design.rules.seed);
    const bool shared = trials[of.baseline].begin()->second->requests > 0;
    where.per_call = shared && metrics::find(design.metrics, metrics::MetricKind::time_per_call);
    where.per_request = shared && !where.per_call;
    where.way = model::way_of(design, log.ways, of.candidate);
    add_code(where, rounds, samples, design.rules.seed);
    all.push_back(std::move(where));
  }
  return all;
}

void adopt_where(Findings& findings, const Findings& sampled) {
  const auto names_of = [](const Design& design, CellId id) {
    const auto& cell = design.cells[id];
    return std::tuple(design.candidate_of(id).name, design.workloads[cell.workload].name,
                      cell.setting.text());
  };
  for (const auto& where : sampled.where)
    for (const auto& of : findings.design.comparisons) {
      if (names_of(findings.design, of.baseline) != names_of(sampled.design, where.comparison.baseline) ||
          names_of(findings.design, of.candidate) != names_of(sampled.design, where.comparison.candidate))
        continue;
      findings.where.push_back(where);
      findings.where.back().comparison = of;
      findings.where.back().campaign = sampled.design.uid;
      break;
    }
  findings.where_remarks.insert(findings.where_remarks.end(), sampled.where_remarks.begin(),
                                sampled.where_remarks.end());
}

const Finding* time_finding(const Findings& all, const Comparison& of) {
  using metrics::MetricKind;
  for (const auto kind :
       {MetricKind::server_cpu, MetricKind::cpu_time, MetricKind::wall_time, MetricKind::time_per_call})
    for (const auto& f : all.findings)
      if (f.comparison == of && metrics::is_kind(all.metric_of(f), kind)) return &f;
  return nullptr;
}

bool contradicts(const Where& where, const Finding& finding) {
  if (!finding.effect.is_ratio() || !(finding.interval.high > 0) || !(where.whole.baseline > 0)) return false;
  const double low = 1 + where.whole.low / where.whole.baseline,
               high = 1 + where.whole.high / where.whole.baseline;
  constexpr double of_change = 0.1;  // sampling has its own cost, on both sides
  const double near = 1 + std::max(finding.margin, of_change * std::abs(finding.effect.value - 1));
  return low > finding.interval.high * near || high * near < finding.interval.low;
}

const Finding* largest_time_change(const Findings& all, const CellFilter& only) {
  const auto size = [](const Finding& f) {
    return is_change(f.verdict) && f.effect.value > 0 ? std::abs(std::log(f.effect.value)) : 0.0;
  };
  const auto is_time = [&](const Metric& metric) {
    return metrics::is_time(metric) || (all.design.kind == CampaignKind::contest &&
                                        metrics::is_kind(metric, metrics::MetricKind::time_per_call));
  };
  const Finding* largest = nullptr;
  for (const auto& f : all.findings) {
    if (is_time(all.metric_of(f)) && !all.design.is_twin(f.comparison.candidate) &&
        matches(all.design, all.candidate_cell(f), only) && (largest == nullptr || size(f) > size(*largest)))
      largest = &f;
  }
  return largest;
}

int fewest_sampled_rounds() { return stats::fewest_rounds(level); }

double change_seen_after(int rounds, double seconds, double period) {
  constexpr double largest = 2.8, of_random = 6;  // the quantile of 40 rows or so; the variance's share
  const double n = rounds, squared = largest * largest;
  if (n <= squared) return std::numeric_limits<double>::infinity();
  const double sd = std::sqrt(2 * seconds * period / of_random);
  return largest * sd / std::sqrt(n - squared);
}

}  // namespace assay::judge
