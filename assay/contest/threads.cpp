#include "assay/contest/threads.hpp"

#include <sys/ioctl.h>
#include <sys/syscall.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <chrono>
#include <cstdint>
#include <cstring>
#include <string>
#include <system_error>
#include <utility>

#include "assay/contest/slices.hpp"
#include "assay/measure/launcher/counter_events.hpp"
#include "assay/model/error.hpp"

namespace assay::contest {

ThreadGroup::ThreadGroup(std::size_t threads)
    : spans_(threads),
      start_(static_cast<std::ptrdiff_t>(threads) + 1),
      end_(static_cast<std::ptrdiff_t>(threads) + 1) {
  try {
    for (std::size_t number = 0; number < threads; ++number)
      threads_.emplace_back([this, number] { wait_for_work(number); });
  } catch (const std::system_error& error) {
    const auto made = threads_.size();
    over_ = true;
    // Those that were made wait for all: for the missing ones, and for this one.
    [[maybe_unused]] auto arrived = start_.arrive(static_cast<std::ptrdiff_t>(threads - made) + 1);
    threads_.clear();
    throw Error("only " + std::to_string(made) + " of " + std::to_string(threads) +
                    " threads can be made: " + error.what(),
                "threads", "use fewer, or look at the limit on processes (ulimit -u)",
                Error::Code::measuring);
  }
}

ThreadGroup::~ThreadGroup() {
  over_ = true;
  start_.arrive_and_wait();
}

void ThreadGroup::wait_for_work(std::size_t number) {
  while (true) {
    start_.arrive_and_wait();
    if (over_) return;
    const auto& clock = SliceClock::instance();
    wait_for_all_awake();
    spans_[number].start = clock.now();
    try {
      (*work_)(number);
    } catch (...) {
      const std::lock_guard lock(guard_);
      if (!thrown_) thrown_ = std::current_exception();
    }
    spans_[number].end = clock.now();
    end_.arrive_and_wait();
  }
}

/// Where there are fewer cores than threads, not all can be awake at once: it waits no longer than a
/// millisecond.
void ThreadGroup::wait_for_all_awake() {
  constexpr std::chrono::milliseconds patience(1);
  awake_.fetch_add(1);
  const auto until = std::chrono::steady_clock::now() + patience;
  while (awake_.load() < spans_.size() && std::chrono::steady_clock::now() < until) {
  }
}

double ThreadGroup::run(const std::function<void(std::size_t)>& work) {
  const auto& clock = SliceClock::instance();
  work_ = &work;
  awake_ = 0;
  start_.arrive_and_wait();
  end_.arrive_and_wait();
  if (thrown_) std::rethrow_exception(std::exchange(thrown_, nullptr));
  const auto start = std::ranges::min(spans_, {}, &Span::start).start;
  const auto end = std::ranges::max(spans_, {}, &Span::end).end;
  return std::max(0.0, static_cast<double>(end - start) * clock.seconds_per_tick() - clock.overhead());
}

ThreadCounters::ThreadCounters() {
  for (std::size_t i = 0; i < files_.size(); ++i) {
    auto attribute = measure::protocol::counter_attribute(static_cast<measure::protocol::Count>(i));
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

extern "C" {
// Defined by the allocations library, when it is linked.
[[gnu::weak]] void assay_allocations_count(int on, assay::contest::AllocationCounts* into);
}

namespace assay::contest {

bool start_counting_allocations() {
  if (assay_allocations_count == nullptr) return false;
  assay_allocations_count(1, nullptr);
  return true;
}

AllocationCounts stop_counting_allocations() {
  AllocationCounts counts;
  if (assay_allocations_count != nullptr) assay_allocations_count(0, &counts);
  return counts;
}

}  // namespace assay::contest
