#include "assay/contest/thread_counters.hpp"

#include <linux/perf_event.h>
#include <sys/ioctl.h>
#include <sys/syscall.h>
#include <unistd.h>

#include <cerrno>
#include <cstdint>
#include <cstring>

namespace assay::contest {
namespace {

struct Event {
  std::uint32_t type;
  std::uint64_t config;
};

constexpr std::array<Event, measure::counter_kinds> events = {
    {{PERF_TYPE_SOFTWARE, PERF_COUNT_SW_TASK_CLOCK},
     {PERF_TYPE_HARDWARE, PERF_COUNT_HW_INSTRUCTIONS},
     {PERF_TYPE_HARDWARE, PERF_COUNT_HW_CPU_CYCLES},
     {PERF_TYPE_HARDWARE, PERF_COUNT_HW_BRANCH_INSTRUCTIONS},
     {PERF_TYPE_HARDWARE, PERF_COUNT_HW_BRANCH_MISSES},
     {PERF_TYPE_HARDWARE, PERF_COUNT_HW_CACHE_REFERENCES},
     {PERF_TYPE_HARDWARE, PERF_COUNT_HW_CACHE_MISSES}}};

}  // namespace

ThreadCounters::ThreadCounters() {
  for (std::size_t i = 0; i < events.size(); ++i) {
    perf_event_attr attribute{};
    attribute.size = sizeof attribute;
    attribute.type = events[i].type;
    attribute.config = events[i].config;
    attribute.disabled = 1;
    attribute.exclude_kernel = 1;
    attribute.exclude_hv = 1;
    attribute.read_format = PERF_FORMAT_TOTAL_TIME_ENABLED | PERF_FORMAT_TOTAL_TIME_RUNNING;
    files_[i] = static_cast<int>(syscall(SYS_perf_event_open, &attribute, 0, -1, -1, PERF_FLAG_FD_CLOEXEC));
    if (files_[i] < 0 && problem_.empty()) problem_ = std::strerror(errno);
  }
}

ThreadCounters::~ThreadCounters() {
  for (const int file : files_)
    if (file >= 0) close(file);
}

void ThreadCounters::start() {
  for (const int file : files_)
    if (file >= 0) {
      ioctl(file, PERF_EVENT_IOC_RESET, 0);
      ioctl(file, PERF_EVENT_IOC_ENABLE, 0);
    }
}

std::array<std::optional<double>, measure::counter_kinds> ThreadCounters::stop() {
  for (const int file : files_)
    if (file >= 0) ioctl(file, PERF_EVENT_IOC_DISABLE, 0);
  std::array<std::optional<double>, measure::counter_kinds> counts;
  for (std::size_t i = 0; i < files_.size(); ++i) {
    std::array<std::uint64_t, 3> value{};  // count, time enabled, time running
    if (files_[i] < 0 || read(files_[i], value.data(), sizeof value) != sizeof value || value[2] == 0)
      continue;
    counts[i] =
        static_cast<double>(value[0]) * (static_cast<double>(value[1]) / static_cast<double>(value[2]));
  }
  return counts;
}

}  // namespace assay::contest
