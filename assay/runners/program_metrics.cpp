#include "assay/runners/program_metrics.hpp"

#include <sys/stat.h>

#include <cmath>
#include <filesystem>
#include <fstream>
#include <iterator>

#include "assay/check/extract.hpp"
#include "assay/model/error.hpp"
#include "assay/model/own_files.hpp"

namespace assay::runners {
namespace {

using measure::Counter;
using metrics::MetricKind;

class Readings {
 public:
  Readings(const metrics::MetricIndex& ids, Trial& trial, Way way) : ids_(ids), trial_(trial), way_(way) {}

  void add(MetricKind metric, double value) {
    const auto id = ids_.find(metric);
    if (id && std::isfinite(value) && tells_something(metric)) trial_.readings.push_back({*id, value});
  }
  void add(MetricKind metric, const std::optional<double>& value) {
    if (value) add(metric, *value);
  }

 private:
  bool tells_something(MetricKind metric) const {
    return metrics::is_measured(metrics::metric_info(metric), way_);
  }

  const metrics::MetricIndex& ids_;
  Trial& trial_;
  Way way_;
};

void add_counts(const measure::ProcessResult& result, Readings& to) {
  const auto count = [&](Counter counter) { return result.counts[static_cast<std::size_t>(counter)]; };
  const auto rate = [&](MetricKind metric, Counter above, Counter below) {
    if (const auto a = count(above), b = count(below); a && b && *b > 0) to.add(metric, *a / *b);
  };
  to.add(MetricKind::instructions, count(Counter::instructions));
  to.add(MetricKind::cycles, count(Counter::cycles));
  to.add(MetricKind::branches, count(Counter::branches));
  to.add(MetricKind::branch_misses, count(Counter::branch_misses));
  to.add(MetricKind::cache_references, count(Counter::cache_references));
  to.add(MetricKind::cache_misses, count(Counter::cache_misses));
  rate(MetricKind::instructions_per_cycle, Counter::instructions, Counter::cycles);
  rate(MetricKind::branch_miss_rate, Counter::branch_misses, Counter::branches);
  rate(MetricKind::cache_miss_rate, Counter::cache_misses, Counter::cache_references);
  if (count(Counter::instructions)) to.add(MetricKind::counter_share, result.counted_share);
}

/// The bytes that a metric is looked for in; empty, with the reason, when they are not there.
std::optional<std::string> source_of(const UserMetric& own, const measure::ProcessResult& result,
                                     const std::string& directory, std::string& problem) {
  const auto& from = own.planned.from;
  if (from == "stdout" || from == "stderr" || from == "samples") {
    const auto& capture = from == "stdout" ? result.out : from == "stderr" ? result.err : result.samples;
    if (!capture) return {};
    if (capture->bytes() <= measure::Capture::kept) return capture->head();
    problem = own.planned.metric.name + ": " + own.planned.from +
              " is longer than 16 MiB; let the program print its figures elsewhere";
    return {};
  }
  const auto path = (std::filesystem::path(directory) / own.file).string();
  const auto changed = stamp(path);
  if (!changed || changed == own.before) {
    problem = own.planned.metric.name + ": the trial did not write " + own.file;
    return {};
  }
  constexpr std::size_t most = 256UL << 20U;
  try {
    return read_regular(path, most);
  } catch (const Error& error) {
    problem = own.planned.metric.name + ": " + own.file + ": " + error.problem();
    return {};
  }
}

}  // namespace

void add_program_metrics(const measure::ProcessResult& result, const measure::LoadDuring& beside,
                         const ProgramCell& cell, const metrics::MetricIndex& ids, Way way, Trial& trial) {
  Readings to(ids, trial, way);
  const double cpu = result.user + result.system;
  to.add(MetricKind::wall_time, result.wall);
  to.add(MetricKind::cpu_time, cpu);
  if (cell.planned.work && cell.throughput && result.wall > 0 && way != Way::abreast)
    trial.readings.push_back({*cell.throughput, *cell.planned.work / result.wall});
  to.add(MetricKind::user_time, result.user);
  to.add(MetricKind::system_time, result.system);
  if (result.wall > 0) to.add(MetricKind::cores_used, cpu / result.wall);
  to.add(MetricKind::core_wait, result.core_wait);
  to.add(MetricKind::peak_memory, result.peak_memory);
  to.add(MetricKind::minor_faults, result.faults_minor);
  to.add(MetricKind::major_faults, result.faults_major);
  to.add(MetricKind::voluntary_switches, result.switches_voluntary);
  to.add(MetricKind::involuntary_switches, result.switches_involuntary);
  to.add(MetricKind::bytes_read, result.bytes_read);
  to.add(MetricKind::bytes_written, result.bytes_written);
  if (result.out) to.add(MetricKind::output_bytes, static_cast<double>(result.out->bytes()));
  add_counts(result, to);
  to.add(MetricKind::load, beside.load);
  to.add(MetricKind::stolen_time, beside.steal);
  to.add(MetricKind::other_cpu_time, beside.other_load);
  to.add(MetricKind::core_frequency, beside.frequency);
  if (beside.on_battery) to.add(MetricKind::on_battery, *beside.on_battery ? 1.0 : 0.0);
  to.add(MetricKind::throttlings, beside.throttlings);
  const auto clock = result.counts[static_cast<std::size_t>(Counter::task_clock)];
  // It reads up to 5 per cent high for reasons of its own, and what the host takes is in it as well.
  const double stolen = beside.steal.value_or(0);
  if (clock && *clock * 1e-9 > cpu * 1.1 + 1.5 * stolen + 0.02)
    to.add(MetricKind::unwaited_cpu_time, *clock * 1e-9 - cpu - stolen);
}

void add_user_metrics(const measure::ProcessResult& result, const std::string& directory,
                      const ProgramCell& cell, Trial& trial) {
  for (const auto& own : cell.metrics) {
    if (!own.id || trial.outcome != Outcome::ok) continue;
    std::string problem;
    const auto text = source_of(own, result, directory, problem);
    if (!text && problem.empty()) continue;
    check::Extracted found;
    if (text) found = check::extract(own.planned, *text);
    if (!problem.empty()) found.problem = problem;
    if (!found.problem.empty()) {
      trial.outcome = Outcome::failed;
      trial.detail = found.problem;
      return;
    }
    const auto later = check::drop_lead_in(own.planned.metric.request.lead_in, found.occurrences);
    if (later.empty()) {
      trial.outcome = Outcome::failed;
      trial.detail = own.planned.metric.name + ": all " + std::to_string(found.occurrences.size()) +
                     " of its values lie within lead_in = " + to_string(own.planned.metric.request.lead_in);
      return;
    }
    trial.readings.push_back({*own.id, check::pick_one(own.planned.aggregate, later)});
    if (found.occurrences.size() > 1)
      for (const auto& one : found.occurrences)
        trial.series.push_back({.metric = *own.id, .at = one.at, .value = one.value});
  }
}

std::optional<FileStamp> stamp(const std::string& path) {
  struct stat status {};
  if (stat(path.c_str(), &status) != 0 || !S_ISREG(status.st_mode)) return {};
  return FileStamp{.changed_ns = status.st_mtim.tv_sec * 1'000'000'000LL + status.st_mtim.tv_nsec,
                   .inode = status.st_ino,
                   .size = static_cast<std::uint64_t>(status.st_size)};
}

}  // namespace assay::runners
