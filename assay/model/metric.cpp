#include "assay/model/metric.hpp"

#include <algorithm>
#include <array>
#include <string_view>
#include <vector>

namespace assay::inline model {
namespace {

Metric supporting(const char* name, const char* unit = "", Prefer prefer = Prefer::lower) {
  return {.name = name, .unit = unit, .prefer = prefer, .supporting = true};
}

Metric exact(const char* name) { return {.name = name, .unit = "B", .exact = true}; }

Metric machine(const char* name, const char* unit = "") {
  return {.name = name,
          .unit = unit,
          .prefer = Prefer::neither,
          .scale = Scale::difference,
          .about = About::machine};
}

}  // namespace

std::span<const Metric> process_metrics() {
  static const std::vector<Metric> all = {
      {.name = "wall time", .unit = "s"},
      {.name = "cpu time", .unit = "s"},
      {.name = "user time", .unit = "s", .supporting = true, .coarse_below = 1},
      {.name = "system time", .unit = "s", .supporting = true, .coarse_below = 1},
      {.name = "cores used", .unit = "", .prefer = Prefer::neither},
      {.name = "peak memory", .unit = "B"},
      {.name = "tree memory", .unit = "B"},
      supporting("minor faults"),
      supporting("major faults"),
      supporting("voluntary switches"),
      supporting("involuntary switches"),
      supporting("bytes read", "B"),
      supporting("bytes written", "B"),
      {.name = "output bytes", .unit = "B", .prefer = Prefer::neither, .scale = Scale::difference},
      supporting("instructions"),
      supporting("cycles"),
      supporting("branches"),
      supporting("branch misses"),
      supporting("cache references"),
      supporting("cache misses"),
      supporting("instructions per cycle", "", Prefer::neither),
      supporting("branch miss rate"),
      supporting("cache miss rate"),
      {.name = "build time", .unit = "s", .prefer = Prefer::neither, .scale = Scale::difference},
      exact("program size"),
      exact("text size"),
      exact("data size"),
      machine("load"),
      machine("stolen time", "s"),
      machine("time of others", "s"),
      machine("core frequency", "Hz"),
      machine("on battery"),
      machine("throttlings"),
      machine("kept warm"),
      machine("counted share"),
      machine("unseen cpu time", "s"),
  };
  return all;
}

const Metric* find_process_metric(const std::string& name) {
  const auto all = process_metrics();
  const auto found = std::ranges::find(all, name, &Metric::name);
  return found == all.end() ? nullptr : &*found;
}

bool holds_abreast(const std::string& metric) {
  using namespace std::string_view_literals;
  constexpr std::array in_turns_only = {"wall time"sv,
                                        "cores used"sv,
                                        "voluntary switches"sv,
                                        "involuntary switches"sv,
                                        "cycles"sv,
                                        "instructions per cycle"sv,
                                        "throughput"sv};
  return std::ranges::none_of(in_turns_only, [&](auto name) { return metric.starts_with(name); });
}

}  // namespace assay::inline model
