#pragma once

#include <linux/perf_event.h>

#include "assay/measure/launcher/protocol.hpp"

namespace assay::measure::protocol {

/// What the kernel is asked for to count events of one kind, user space only: counting needs privilege
/// otherwise. Only the task clock runs in the kernel all the same. It does not count yet.
inline perf_event_attr counter_attribute(Count kind) {
  struct Event {
    unsigned type;
    unsigned long long config;
  };
  constexpr Event events[count_kinds] = {
      {PERF_TYPE_SOFTWARE, PERF_COUNT_SW_TASK_CLOCK},
      {PERF_TYPE_HARDWARE, PERF_COUNT_HW_INSTRUCTIONS},
      {PERF_TYPE_HARDWARE, PERF_COUNT_HW_CPU_CYCLES},
      {PERF_TYPE_HARDWARE, PERF_COUNT_HW_BRANCH_INSTRUCTIONS},
      {PERF_TYPE_HARDWARE, PERF_COUNT_HW_BRANCH_MISSES},
      {PERF_TYPE_HARDWARE, PERF_COUNT_HW_CACHE_REFERENCES},
      {PERF_TYPE_HARDWARE, PERF_COUNT_HW_CACHE_MISSES},
  };
  perf_event_attr attribute{};
  attribute.size = sizeof attribute;
  attribute.type = events[kind].type;
  attribute.config = events[kind].config;
  attribute.disabled = 1;
  attribute.exclude_kernel = 1;
  attribute.exclude_hv = 1;
  attribute.read_format = PERF_FORMAT_TOTAL_TIME_ENABLED | PERF_FORMAT_TOTAL_TIME_RUNNING;
  return attribute;
}

}  // namespace assay::measure::protocol
