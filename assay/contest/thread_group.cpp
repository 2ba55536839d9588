#include "assay/contest/thread_group.hpp"

#include <algorithm>
#include <chrono>
#include <string>
#include <system_error>
#include <utility>

#include "assay/contest/slice_clock.hpp"
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

}  // namespace assay::contest
