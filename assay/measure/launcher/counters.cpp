#include "assay/measure/launcher/counters.hpp"

#include <linux/perf_event.h>
#include <sys/syscall.h>
#include <unistd.h>

#include <cerrno>

#include "assay/measure/launcher/process_tree.hpp"

namespace assay::launcher {
namespace {

using namespace measure::protocol;

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

}  // namespace

void Counters::open(unsigned wanted) {
  for (unsigned kind = 0; kind < count_kinds; ++kind) {
    const bool is_wanted = (wanted >> kind & 1U) != 0;
    if (!is_wanted && files_[kind] >= 0) {  // or every later trial would carry it along
      ::close(files_[kind]);
      files_[kind] = -1;
    }
    if (!is_wanted || files_[kind] >= 0 || refused_[kind]) continue;
    perf_event_attr attribute{};
    attribute.size = sizeof attribute;
    attribute.type = events[kind].type;
    attribute.config = events[kind].config;
    attribute.disabled = 1;
    attribute.inherit = 1;
    attribute.enable_on_exec = 1;
    // Or it would need privilege. The task clock runs in the kernel all the same.
    attribute.exclude_kernel = 1;
    attribute.exclude_hv = 1;
    attribute.read_format = PERF_FORMAT_TOTAL_TIME_ENABLED | PERF_FORMAT_TOTAL_TIME_RUNNING;
    files_[kind] = static_cast<int>(syscall(SYS_perf_event_open, &attribute, 0, -1, -1,
                                            static_cast<unsigned long>(PERF_FLAG_FD_CLOEXEC)));
    if (files_[kind] >= 0) continue;
    refused_[kind] = true;  // nothing that changes from trial to trial
    if (error_ == 0) error_ = errno;
  }
}

bool Counters::read_value(int file, Value& value) {
  if (file < 0 || read(file, &value, sizeof value) != sizeof value) return false;
  bytes_read_here += sizeof value;
  return true;
}

void Counters::begin() {
  for (unsigned kind = 0; kind < count_kinds; ++kind)
    if (!read_value(files_[kind], start_[kind])) start_[kind] = {};
}

void Counters::report(Program& to) const {
  for (unsigned kind = 0; kind < count_kinds; ++kind) {
    to.counts[kind] = -1;
    Value now{};
    if (!read_value(files_[kind], now)) continue;
    const auto enabled = static_cast<double>(now.enabled - start_[kind].enabled);
    const auto running = static_cast<double>(now.running - start_[kind].running);
    if (running <= 0) continue;
    to.counts[kind] = static_cast<double>(now.count - start_[kind].count) * (enabled / running);
    if (running / enabled < to.counted_share) to.counted_share = running / enabled;
  }
}

}  // namespace assay::launcher
