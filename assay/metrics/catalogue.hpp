#pragma once

#include <cstddef>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "assay/model/design.hpp"
#include "assay/model/id_table.hpp"
#include "assay/model/metric.hpp"

/// Every metric that Assay measures itself, a row each. A new one is a row here, and its reading where it is
/// measured (runners/program_metrics.cpp, contest/function_runner.cpp).
namespace assay::metrics {

enum class MetricKind {
  wall_time,
  cpu_time,
  throughput,
  user_time,
  system_time,
  cores_used,
  core_wait,
  peak_memory,
  tree_memory,
  minor_faults,
  major_faults,
  voluntary_switches,
  involuntary_switches,
  bytes_read,
  bytes_written,
  output_bytes,
  instructions,
  cycles,
  branches,
  branch_misses,
  cache_references,
  cache_misses,
  instructions_per_cycle,
  branch_miss_rate,
  cache_miss_rate,
  build_time,
  program_size,
  text_size,
  data_size,
  load,
  stolen_time,
  other_cpu_time,
  core_frequency,
  on_battery,
  throttlings,
  warm_page_share,
  counter_share,
  unwaited_cpu_time,
  request_rate,
  steady_rate,
  latency_p50,
  latency_p90,
  latency_p99,
  latency_p999,
  latency_max,
  server_cpu,
  server_cpu_time,
  server_memory,
  start_time,
  failed_requests,
  sustained,
  clients_busy,
  driver_busy,
  driver_cpu,
  send_delay,
  connections_reopened,
  longest_connect,
  most_outstanding,
  cpu_at_rest,
  late_rate,
  time_per_call,
  mean_time_per_call,
  first_call,
  allocations,
  allocated_bytes,
  peak_allocated,
};

/// What a metric takes to be measured.
enum class Needs {
  nothing,        ///< every run of a program tells it
  work,           ///< a declared amount of work
  requests,       ///< a workload that is a service
  counters,       ///< hardware event counters
  control_group,  ///< one for each trial
  io_accounting,  ///< the kernel's account of bytes read and written
  output,         ///< that output is kept
  calls,          ///< functions called in process
  allocator,      ///< the counting operator new (assay::allocations)
};

/// What the trade calls a change of a metric: "faster" and "slower"; of what, where that is not understood:
/// "less" and "more" "memory", "a" "smaller" and "larger" "program".
struct ChangeWords {
  std::string better, worse, what, article;
};

struct MetricInfo {
  MetricKind id;
  Metric metric;  ///< as Assay measures it: name, unit, direction, scale
  ChangeWords words;
  Needs needs;
  bool of_programs;       ///< measured of programs
  bool of_functions;      ///< measured of functions in a contest
  bool noise_is_slow;     ///< noise makes runs slow, hardly ever fast: see stats/clipped_signed_rank.hpp
  bool valid_concurrent;  ///< means something for programs that share a core with others at the time
};

/// All rows, in the order in which metrics are shown.
///
/// - `user time`, `system time`: the kernel samples them by ticks, so they are not judged below a second.
/// - `core wait`: ready to run while others had the core, of the first thread of the program's main
///   process; what its own children waited is not in it.
/// - `peak memory`: of the largest process. `tree memory`: of all together, where a control group can be had.
/// - `bytes read`, `bytes written`: through system calls, starting the program included.
/// - `instructions` to `cache miss rate`: hardware counters, user space only.
/// - `kept warm`: the share of files declared cold that stayed in the page cache. `unseen cpu time`: of
///   children whose parent would not wait for them, found by checks; it is not in cpu time.
/// - `steady rate` to `failed requests`: of services. `steady rate` is the rate of the slices of load,
///   cleaned of what all servers of a round had in common at the time; latencies count failed requests as the
///   slowest; `failed requests` in points, hundredths of all.
/// - `rate sustained` to `late rate`: whether services got the load they were meant to get. As shares:
///   `rate sustained` of what was offered, `clients busy` of their time, `driver busy` and `cpu at rest` of a
///   core, `connections reopened` of the requests, `most outstanding` of the connections; `late rate` is the
///   last quarter of the slices' against the others'. `driver cpu per request` where it shares the server's
///   cores.
/// - `build time`: of all its build steps, once; shown, not judged.
/// - `program size`, `text size`, `data size`: of the candidate's program file; exact.
/// - `time per call` to `peak allocated`: of functions in a contest.
std::span<const MetricInfo> catalogue();

/// The words for a metric: its row's, and "better" and "worse" for one that is not in the catalogue.
const ChangeWords& change_words(const Metric& metric);

const MetricInfo& metric_info(MetricKind metric);
const std::string& name_of(MetricKind metric);

/// Whether noise makes this metric's values worse, hardly ever better, so that slow runs say little of a
/// change. Not of latencies, means and failures, which slow calls are meant to be seen in, nor of memory.
bool noise_is_slow(const Metric& metric);

/// Whether each value of it sums up many requests or calls.
bool is_of_many_calls(const Metric& metric);

/// Whether programs that are run this way have values of the metric.
bool is_measured(const MetricInfo& metric, Way way);

/// The row of a name: its own, or "throughput of UNIT". nullptr when Assay measures nothing of that name.
const MetricInfo* find_metric_info(const std::string& name);

/// The metrics that programs yield, in order; and those that services yield besides.
std::vector<Metric> process_metrics();
std::vector<Metric> service_metrics();

/// The metric of a campaign that is this one; empty when it has none, or it is not measured there. Of several
/// throughputs the first.
std::optional<MetricId> find(const IdTable<MetricId, Metric>& metrics, MetricKind metric);

/// A campaign's metrics by what they are, made once for looking up many times.
class MetricIndex {
 public:
  explicit MetricIndex(const IdTable<MetricId, Metric>& metrics);
  /// Empty when the campaign has none, or it is not measured there.
  std::optional<MetricId> find(MetricKind metric) const { return ids_[static_cast<std::size_t>(metric)]; }

 private:
  std::vector<std::optional<MetricId>> ids_;
};

/// Whether a campaign's metric is this one.
bool is_kind(const Metric& metric, MetricKind known);
/// Wall time, CPU time, or a server's CPU time for each request.
bool is_time(const Metric& metric);

/// Whether this is CPU time that is watched beside wall time without having been asked for: it stands in for
/// wall time where it tells more, and explains it elsewhere.
bool is_default_cpu_time(const Metric& metric);

}  // namespace assay::metrics
