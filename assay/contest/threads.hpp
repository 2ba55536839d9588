#pragma once

#include <array>
#include <atomic>
#include <barrier>
#include <cstddef>
#include <cstdint>
#include <exception>
#include <functional>
#include <mutex>
#include <optional>
#include <string>
#include <thread>
#include <vector>

#include "assay/measure/process.hpp"

namespace assay::contest {

/// Threads that wait to do one thing at once, again and again.
class ThreadGroup {
 public:
  /// Throws Error(measuring) when so many threads can't be made; those that were made have ended then.
  explicit ThreadGroup(std::size_t threads);
  ~ThreadGroup();
  ThreadGroup(const ThreadGroup&) = delete;
  ThreadGroup& operator=(const ThreadGroup&) = delete;

  std::size_t size() const { return threads_.size(); }

  /// Lets every thread do work(its number) at the same time: each waits until the last is awake. Returns the
  /// seconds from the first start to the last end, which the threads themselves take down, so that waking
  /// them is not in it, with the cost of reading the clock taken off. What `work` throws on any of them is
  /// thrown here, when all have ended: the first of several.
  double run(const std::function<void(std::size_t)>& work);

 private:
  struct Span {
    std::uint64_t start = 0, end = 0;  ///< ticks of the clock of slices
  };

  void wait_for_work(std::size_t number);
  void wait_for_all_awake();

  const std::function<void(std::size_t)>* work_ = nullptr;
  std::vector<Span> spans_;             ///< by number
  std::atomic<std::size_t> awake_ = 0;  ///< for the work at hand
  bool over_ = false;
  std::mutex guard_;  ///< of what was thrown
  std::exception_ptr thrown_;
  std::barrier<> start_, end_;
  std::vector<std::jthread> threads_;
};

/// The kernel's event counters on the calling thread, user space only.
class ThreadCounters {
 public:
  /// Opens what the machine offers.
  ThreadCounters();
  ~ThreadCounters();
  ThreadCounters(const ThreadCounters&) = delete;
  ThreadCounters& operator=(const ThreadCounters&) = delete;

  bool offers(measure::Counter counter) const { return files_[place(counter)] >= 0; }
  const std::string& problem() const { return problem_; }  ///< why some are not offered

  void start();
  /// Counts since start(), scaled where counters took turns.
  std::array<std::optional<double>, measure::counter_kinds> stop();

 private:
  static std::size_t place(measure::Counter counter) { return static_cast<std::size_t>(counter); }
  std::array<int, measure::counter_kinds> files_{};
  std::string problem_;
};

/// What was asked of operator new.
struct AllocationCounts {
  std::uint64_t calls = 0, bytes = 0, peak = 0;  ///< peak: most bytes held at a time, as the heap rounds them
};

/// Counts from now on, on all threads. False when the counting operators are not linked: they come with the
/// CMake target assay::allocations, or -lassay_allocations after -u assay_allocations_count.
bool start_counting_allocations();
/// What was counted since. Counting ends.
AllocationCounts stop_counting_allocations();

}  // namespace assay::contest
