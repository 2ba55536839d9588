#include "assay/metrics/catalogue.hpp"

#include <algorithm>
#include <array>

namespace assay::metrics {
namespace {

/// What most rows have in common; the rest stands with each.
struct Traits {
  Needs needs = Needs::nothing;
  Direction prefer = Direction::lower;
  Scale scale = Scale::ratio;
  MetricSubject about = MetricSubject::work;
  bool exact = false, supporting = false;
  double coarse_below = 0;
  bool of_programs = true, of_functions = false, noise_is_slow = true, valid_concurrent = true;
  const char *better = nullptr, *worse = nullptr, *what = nullptr,
             *article = "";  ///< where they are not the usual words
};

/// Times are faster or slower; of what is counted there is fewer or more, of other things less or more.
ChangeWords words_for(const std::string& name, const std::string& unit, const Traits& traits) {
  if (traits.better != nullptr) return {traits.better, traits.worse, traits.what, traits.article};
  if (traits.prefer == Direction::neither) return {"less", "more", name, ""};
  if (unit == "s") return {"faster", "slower", "", ""};
  return {"fewer", "more", name, ""};
}

MetricInfo make(MetricKind id, const char* name, const char* unit, const Traits& traits = {}) {
  return {.id = id,
          .metric = {.name = name,
                     .unit = unit,
                     .direction = traits.prefer,
                     .scale = traits.scale,
                     .subject = traits.about,
                     .exact = traits.exact,
                     .supporting = traits.supporting,
                     .resolution_limit = traits.coarse_below},
          .words = words_for(name, unit, traits),
          .needs = traits.needs,
          .of_programs = traits.of_programs,
          .of_functions = traits.of_functions,
          .noise_is_slow = traits.noise_is_slow,
          .valid_concurrent = traits.valid_concurrent};
}

constexpr Traits supporting{.supporting = true};
constexpr Traits switches{.supporting = true, .valid_concurrent = false};
constexpr Traits bytes{.needs = Needs::io_accounting, .supporting = true};
constexpr Traits counted{.needs = Needs::counters, .supporting = true};
constexpr Traits counted_of_both{.needs = Needs::counters, .supporting = true, .of_functions = true};
constexpr Traits per_core{
    .needs = Needs::counters, .supporting = true, .of_functions = true, .valid_concurrent = false};
constexpr Traits per_cycle{
    .needs = Needs::counters, .prefer = Direction::neither, .supporting = true, .valid_concurrent = false};
constexpr Traits sampled{.supporting = true, .coarse_below = 1};
constexpr Traits machine{
    .prefer = Direction::neither, .scale = Scale::difference, .about = MetricSubject::machine};
constexpr Traits driving{.needs = Needs::requests,
                         .prefer = Direction::neither,
                         .scale = Scale::difference,
                         .about = MetricSubject::machine};
constexpr Traits waited{.prefer = Direction::neither,
                        .scale = Scale::difference,
                        .about = MetricSubject::machine,
                        .valid_concurrent = false};
constexpr Traits shown{.prefer = Direction::neither, .scale = Scale::difference};
constexpr Traits called{.needs = Needs::calls, .of_programs = false, .of_functions = true};
constexpr Traits also_called{
    .needs = Needs::calls, .supporting = true, .of_programs = false, .of_functions = true};
constexpr Traits mean_called{.needs = Needs::calls,
                             .supporting = true,
                             .of_programs = false,
                             .of_functions = true,
                             .noise_is_slow = false};
constexpr Traits allocated{
    .needs = Needs::allocator, .exact = true, .of_programs = false, .of_functions = true};

constexpr Traits memory{.noise_is_slow = false, .better = "less", .worse = "more", .what = "memory"};
constexpr Traits memory_of_all{.needs = Needs::control_group,
                               .noise_is_slow = false,
                               .better = "less",
                               .worse = "more",
                               .what = "memory"};
constexpr Traits allocated_memory{.needs = Needs::allocator,
                                  .exact = true,
                                  .of_programs = false,
                                  .of_functions = true,
                                  .better = "less",
                                  .worse = "more",
                                  .what = "allocated memory"};

constexpr Traits size_of(const char* what, const char* article = "") {
  return {.exact = true, .better = "smaller", .worse = "larger", .what = what, .article = article};
}

constexpr Traits rate_of(const char* what) {
  return {.needs = Needs::requests,
          .prefer = Direction::higher,
          .better = "higher",
          .worse = "lower",
          .what = what,
          .article = "a"};
}
constexpr Traits latency_of(const char* what) {
  return {
      .needs = Needs::requests, .noise_is_slow = false, .better = "lower", .worse = "higher", .what = what};
}

}  // namespace

std::span<const MetricInfo> catalogue() {
  using enum MetricKind;
  static const std::array rows = {
      make(wall_time, "wall time", "s", {.valid_concurrent = false}),
      make(cpu_time, "cpu time", "s"),
      make(throughput, "throughput", "",
           {.needs = Needs::work,
            .prefer = Direction::higher,
            .of_functions = true,
            .valid_concurrent = false,
            .better = "higher",
            .worse = "lower",
            .what = "throughput"}),
      make(user_time, "user time", "s", sampled),
      make(system_time, "system time", "s", sampled),
      make(cores_used, "cores used", "", {.prefer = Direction::neither, .valid_concurrent = false}),
      make(core_wait, "core wait", "s", waited),
      make(peak_memory, "peak memory", "B", memory),
      make(tree_memory, "tree memory", "B", memory_of_all),
      make(minor_faults, "minor faults", "", supporting),
      make(major_faults, "major faults", "", supporting),
      make(voluntary_switches, "voluntary switches", "", switches),
      make(involuntary_switches, "involuntary switches", "", switches),
      make(bytes_read, "bytes read", "B", bytes),
      make(bytes_written, "bytes written", "B", bytes),
      make(output_bytes, "output bytes", "B",
           {.needs = Needs::output, .prefer = Direction::neither, .scale = Scale::difference}),
      make(instructions, "instructions", "", counted_of_both),
      make(cycles, "cycles", "", per_core),
      make(branches, "branches", "", counted),
      make(branch_misses, "branch misses", "", counted_of_both),
      make(cache_references, "cache references", "", counted),
      make(cache_misses, "cache misses", "", counted_of_both),
      make(instructions_per_cycle, "instructions per cycle", "", per_cycle),
      make(branch_miss_rate, "branch miss rate", "", counted),
      make(cache_miss_rate, "cache miss rate", "", counted),
      make(steady_rate, "steady rate", "1/s", rate_of("request rate")),
      make(request_rate, "requests per second", "1/s", rate_of("request rate")),
      make(latency_p50, "latency p50", "s", latency_of("median latency")),
      make(latency_p90, "latency p90", "s", latency_of("p90 latency")),
      make(latency_p99, "latency p99", "s", latency_of("p99 latency")),
      make(latency_p999, "latency p99.9", "s", latency_of("p99.9 latency")),
      make(latency_max, "latency max", "s", {.needs = Needs::requests, .prefer = Direction::neither}),
      make(server_cpu, "server cpu per request", "s",
           {.needs = Needs::requests, .better = "less", .worse = "more", .what = "server CPU per request"}),
      make(server_cpu_time, "server cpu time", "s",
           {.needs = Needs::requests, .better = "less", .worse = "more", .what = "server CPU time"}),
      make(server_memory, "server peak memory", "B",
           {.needs = Needs::requests, .better = "less", .worse = "more", .what = "server memory"}),
      make(start_time, "start time", "s",
           {.needs = Needs::requests, .better = "quicker", .worse = "slower", .what = "start"}),
      make(failed_requests, "failed requests", "pts",
           {.needs = Needs::requests,
            .scale = Scale::difference,
            .better = "fewer",
            .worse = "more",
            .what = "failed requests"}),
      make(sustained, "rate sustained", "", driving),
      make(clients_busy, "clients busy", "", driving),
      make(driver_busy, "driver busy", "", driving),
      make(driver_cpu, "driver cpu per request", "s", driving),
      make(send_delay, "send delay p99", "s", driving),
      make(connections_reopened, "connections reopened", "", driving),
      make(longest_connect, "longest connect", "s", driving),
      make(most_outstanding, "most outstanding", "", driving),
      make(cpu_at_rest, "cpu at rest", "", driving),
      make(late_rate, "late rate", "", driving),
      make(build_time, "build time", "s", shown),
      make(program_size, "program size", "B", size_of("program", "a")),
      make(text_size, "text size", "B", size_of("code")),
      make(data_size, "data size", "B", size_of("data")),
      make(load, "load", "", machine),
      make(stolen_time, "stolen time", "s", machine),
      make(other_cpu_time, "time of others", "s", machine),
      make(core_frequency, "core frequency", "Hz", machine),
      make(on_battery, "on battery", "", machine),
      make(throttlings, "throttlings", "", machine),
      make(warm_page_share, "kept warm", "", machine),
      make(counter_share, "counted share", "", machine),
      make(unwaited_cpu_time, "unseen cpu time", "s", machine),
      make(time_per_call, "time per call", "s", called),
      make(mean_time_per_call, "mean time per call", "s", mean_called),
      make(first_call, "first call", "s", also_called),
      make(allocations, "allocations", "", allocated),
      make(allocated_bytes, "allocated bytes", "B", allocated),
      make(peak_allocated, "peak allocated", "B", allocated_memory),
  };
  return rows;
}

const ChangeWords& change_words(const Metric& metric) {
  static const ChangeWords of_others = {"better", "worse", "", ""};
  const auto* row = find_metric_info(metric.name);
  return row == nullptr ? of_others : row->words;
}

const MetricInfo& metric_info(MetricKind metric) {
  const auto rows = catalogue();
  return *std::ranges::find(rows, metric, &MetricInfo::id);
}

const std::string& name_of(MetricKind metric) { return metric_info(metric).metric.name; }

bool is_measured(const MetricInfo& metric, Way way) {
  if (way == Way::abreast) return metric.valid_concurrent;
  const bool of_switches =
      metric.id == MetricKind::voluntary_switches || metric.id == MetricKind::involuntary_switches;
  return way != Way::slices || !of_switches;  // each slice ends with one
}

const MetricInfo* find_metric_info(const std::string& name) {
  const auto rows = catalogue();
  const auto found = std::ranges::find(rows, name, [](const MetricInfo& row) { return row.metric.name; });
  if (found != rows.end()) return &*found;
  return name.starts_with(name_of(MetricKind::throughput) + " of ") ? &metric_info(MetricKind::throughput)
                                                                    : nullptr;
}

std::vector<Metric> process_metrics() {
  std::vector<Metric> all;
  for (const auto& row : catalogue())
    if (row.of_programs && row.needs != Needs::work && row.needs != Needs::requests)
      all.push_back(row.metric);
  return all;
}

std::vector<Metric> service_metrics() {
  std::vector<Metric> all;
  for (const auto& row : catalogue())
    if (row.needs == Needs::requests) all.push_back(row.metric);
  return all;
}

bool noise_is_slow(const Metric& metric) {
  const auto* row = find_metric_info(metric.name);
  return row == nullptr || row->noise_is_slow;
}

bool is_of_many_calls(const Metric& metric) {
  const auto* row = find_metric_info(metric.name);
  return row != nullptr && (row->needs == Needs::requests || row->needs == Needs::calls);
}

bool is_default_cpu_time(const Metric& metric) {
  return is_kind(metric, MetricKind::cpu_time) && metric.request.watched && metric.supporting;
}

bool is_kind(const Metric& metric, MetricKind known) {
  const auto& name = name_of(known);
  return metric.name == name || (known == MetricKind::throughput && metric.name.starts_with(name + " of "));
}

bool is_time(const Metric& metric) {
  return is_kind(metric, MetricKind::wall_time) || is_kind(metric, MetricKind::cpu_time) ||
         is_kind(metric, MetricKind::server_cpu);
}

MetricIndex::MetricIndex(const IdTable<MetricId, Metric>& metrics) : ids_(catalogue().size()) {
  for (const auto& row : catalogue()) ids_[static_cast<std::size_t>(row.id)] = metrics::find(metrics, row.id);
}

std::optional<MetricId> find(const IdTable<MetricId, Metric>& metrics, MetricKind known) {
  return metrics.find([&](const Metric& m) { return is_kind(m, known) && m.request.missing.empty(); });
}

}  // namespace assay::metrics
