#include "assay/measure/sample_records.hpp"

#include <linux/perf_event.h>
#include <sys/ioctl.h>
#include <sys/mman.h>
#include <sys/syscall.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <cerrno>
#include <cstring>
#include <ctime>
#include <span>

#include "assay/model/text.hpp"

namespace assay::measure {

namespace {

constexpr std::size_t largest_ring = 512UL << 10U, smallest_ring = 32UL << 10U;
/// Of programs on one core; an ordinary user has half a MiB for each core of the machine, and 8 in all.
constexpr std::size_t largest_alone = 2UL << 20U;

/// As much of the stack as is copied: 512 bytes reach the callers of most code in libraries, 2 KiB those of printf()
/// too, for which the rings of many cores are too small.
constexpr std::uint32_t stack_bytes = 512, stack_bytes_alone = 2048;

std::uint32_t stack_bytes_of(const Sampling& how, std::size_t cores) {
  return !how.callers ? 0 : cores == 1 ? stack_bytes_alone : stack_bytes;
}

/// The registers that the kernel adds to a sample, as bits, and the psABI's number of each.
#ifdef __x86_64__
constexpr bool copies_stacks = true;
constexpr std::uint64_t registers_copied = 0xff01ff;
#else
constexpr bool copies_stacks = false;
constexpr std::uint64_t registers_copied = 0;
#endif
constexpr std::array<std::size_t, 17> number_of_register = {
    0, 3, 2, 1, 4, 5, 6, 7, StackCopy::instruction, 8, 9, 10, 11, 12, 13, 14, 15};

perf_event_attr attributes_of(const Sampling& how, std::size_t cores, bool one_thread) {
  perf_event_attr event{};
  event.size = sizeof event;
  event.type = PERF_TYPE_SOFTWARE;
  event.config = PERF_COUNT_SW_TASK_CLOCK;
  event.sample_period = static_cast<std::uint64_t>(how.period_ns);
  event.sample_type = PERF_SAMPLE_IP | PERF_SAMPLE_TID | PERF_SAMPLE_TIME;
  event.inherit = one_thread ? 0 : 1;
  event.exclude_kernel = event.exclude_hv = 1;
  event.mmap = event.mmap2 = event.comm = event.comm_exec = event.task = 1;
  event.build_id = 1;
  event.sample_id_all = 1;
  event.use_clockid = 1;
  event.clockid = CLOCK_MONOTONIC;
  if (how.callers && copies_stacks) {
    event.sample_type |= PERF_SAMPLE_REGS_USER | PERF_SAMPLE_STACK_USER;
    event.sample_regs_user = registers_copied;
    event.sample_stack_user = stack_bytes_of(how, cores);
  }
  return event;
}

/// Reads values one after the other from the bytes of a record.
class Reader {
 public:
  Reader(const std::uint8_t* at, const std::uint8_t* end) : at_(at), end_(end) {}

  template <class T>
  T take() {
    T value{};
    if (left() >= sizeof value) std::memcpy(&value, at_, sizeof value);
    at_ += std::min(sizeof value, left());
    return value;
  }
  void skip(std::size_t bytes) { at_ += std::min(bytes, left()); }
  std::span<const std::uint8_t> take_bytes(std::size_t bytes) {
    const auto* from = at_;
    skip(bytes);
    return {from, at_};
  }
  std::string text() {
    const auto* stop = std::find(at_, end_, 0);
    return {reinterpret_cast<const char*>(at_), static_cast<std::size_t>(stop - at_)};
  }
  std::size_t left() const { return static_cast<std::size_t>(end_ - at_); }

 private:
  const std::uint8_t *at_, *end_;
};

/// Empty where the thread runs 32-bit code, or none of its own.
std::optional<StackCopy> stack_copy(Reader& record) {
  if (record.take<std::uint64_t>() != PERF_SAMPLE_REGS_ABI_64) return {};
  StackCopy copy;
  for (const auto number : number_of_register) copy.registers[number] = record.take<std::uint64_t>();
  const auto room = record.take<std::uint64_t>();
  copy.stack = record.take_bytes(room);
  const auto used = room > 0 ? record.take<std::uint64_t>() : 0;
  copy.stack = copy.stack.first(std::min<std::size_t>(used, copy.stack.size()));
  return copy;
}

Event mapping(Reader record, bool has_build_id) {
  Event event{.kind = Event::Kind::mapped, .pid = record.take<pid_t>()};
  record.take<std::uint32_t>();  // thread
  event.address = record.take<std::uint64_t>();
  event.bytes = record.take<std::uint64_t>();
  event.offset = record.take<std::uint64_t>();
  constexpr std::size_t longest_id = 20, id_bytes = 24;
  if (has_build_id) {
    const auto length = std::min<std::size_t>(record.take<std::uint8_t>(), longest_id);
    record.skip(3);
    const auto id = record.take<std::array<char, longest_id>>();
    event.build_id = model::hexadecimal({id.data(), length});
  } else {
    record.skip(id_bytes);
  }
  record.skip(2 * sizeof(std::uint32_t));  // protection and flags
  event.file = record.text();
  return event;
}

/// Empty for what is of no interest here. `lost` is added to.
std::optional<Event> read_record(const perf_event_header& head, Reader record, bool has_stacks,
                                 std::uint64_t& lost) {
  switch (head.type) {
    case PERF_RECORD_SAMPLE: {
      Event event{.address = record.take<std::uint64_t>()};
      event.pid = record.take<pid_t>();
      record.take<std::uint32_t>();  // thread
      event.time = record.take<std::uint64_t>();
      if (has_stacks) event.copy = stack_copy(record);
      return event;
    }
    case PERF_RECORD_MMAP2:
      return mapping(record, (head.misc & PERF_RECORD_MISC_MMAP_BUILD_ID) != 0);
    case PERF_RECORD_COMM:
      if ((head.misc & PERF_RECORD_MISC_COMM_EXEC) == 0) return {};
      return Event{.kind = Event::Kind::executed, .pid = record.take<pid_t>()};
    case PERF_RECORD_FORK: {
      Event event{.kind = Event::Kind::forked, .pid = record.take<pid_t>()};
      event.parent = record.take<pid_t>();
      if (event.pid == event.parent) return {};  // a thread
      return event;
    }
    case PERF_RECORD_LOST:
      record.take<std::uint64_t>();
      lost += record.take<std::uint64_t>();
      return {};
    default:
      return {};
  }
}

}  // namespace

namespace {

std::size_t page_bytes() { return static_cast<std::size_t>(sysconf(_SC_PAGESIZE)); }

}  // namespace

SampleRing::SampleRing(pid_t process, int core, std::size_t cores, const Sampling& how)
    : has_stacks_(how.callers && copies_stacks) {
  auto event = attributes_of(how, cores, core < 0);
  const auto open_event = [&] {
    return Descriptor(
        static_cast<int>(syscall(SYS_perf_event_open, &event, process, core, -1, PERF_FLAG_FD_CLOEXEC)));
  };
  file_ = open_event();
  if (!file_ && errno == EINVAL) {  // before Linux 5.12 files are known by name alone
    event.build_id = 0;
    file_ = open_event();
  }
  if (!file_) {
    error_ = errno;
    return;
  }
  for (bytes_ = has_stacks_ && cores == 1 ? largest_alone : largest_ring; bytes_ >= smallest_ring;
       bytes_ /= 2) {
    void* at = mmap(nullptr, bytes_ + page_bytes(), PROT_READ | PROT_WRITE, MAP_SHARED, file_.get(), 0);
    if (at != MAP_FAILED) {
      page_ = static_cast<perf_event_mmap_page*>(at);
      return;
    }
    error_ = errno;
  }
}

SampleRing::~SampleRing() {
  if (page_ != nullptr) munmap(page_, bytes_ + page_bytes());
}

void SampleRing::stop() const { ioctl(file_.get(), PERF_EVENT_IOC_DISABLE, 0); }

void SampleRing::drain() {
  const auto head = __atomic_load_n(&page_->data_head, __ATOMIC_ACQUIRE);
  auto tail = page_->data_tail;
  const auto* data = reinterpret_cast<const std::uint8_t*>(page_) + page_->data_offset;
  while (tail < head) {
    const auto at = static_cast<std::size_t>(tail) & (bytes_ - 1),
               some = std::min(static_cast<std::size_t>(head - tail), bytes_ - at);
    raw_.insert(raw_.end(), data + at, data + at + some);
    tail += some;
  }
  __atomic_store_n(&page_->data_tail, tail, __ATOMIC_RELEASE);
}

void SampleRing::read(std::vector<Event>& events, std::uint64_t& lost) const {
  for (std::size_t at = 0; at + sizeof(perf_event_header) <= raw_.size();) {
    perf_event_header head;
    std::memcpy(&head, raw_.data() + at, sizeof head);
    if (head.size < sizeof head || at + head.size > raw_.size()) break;
    const auto* end = raw_.data() + at + head.size;
    if (auto event = read_record(head, Reader(raw_.data() + at + sizeof head, end), has_stacks_, lost)) {
      if (head.type != PERF_RECORD_SAMPLE)
        std::memcpy(&event->time, end - sizeof event->time, sizeof event->time);
      events.push_back(std::move(*event));
    }
    at += head.size;
  }
}

int relief_interval_of(const Sampling& how, std::size_t ring_bytes, std::size_t cores) {
  constexpr double full = 0.4, in_milliseconds = 1e-6, shortest = 10, longest = 100;
  constexpr double least_bytes = 40, registers_bytes = 160;
  const double sample = least_bytes + (how.callers ? registers_bytes + stack_bytes_of(how, cores) : 0);
  const double interval =
      full * static_cast<double>(ring_bytes) / sample * static_cast<double>(how.period_ns) * in_milliseconds;
  return static_cast<int>(std::clamp(interval, shortest, longest));
}

std::string sampling_problem(int error) {
  return "programs can't be sampled here (perf_event_open: " + std::string(std::strerror(error)) +
         "); as root, sysctl kernel.perf_event_paranoid=2 lets you sample your own programs; in a "
         "container, --cap-add PERFMON";
}

}  // namespace assay::measure
