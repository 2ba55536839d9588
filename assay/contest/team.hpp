#pragma once

#include <barrier>
#include <cstddef>
#include <exception>
#include <functional>
#include <mutex>
#include <thread>
#include <vector>

namespace assay::inline v1::contest {

/// Threads that wait to do one thing at once, again and again.
class Team {
 public:
  /// Throws Error(measuring) when so many threads can't be made; those that were made have ended then.
  explicit Team(std::size_t threads);
  ~Team();
  Team(const Team&) = delete;
  Team& operator=(const Team&) = delete;

  std::size_t size() const { return threads_.size(); }

  /// Lets every thread do work(its number) at the same time; returns the seconds from their start to the end
  /// of the last. What `work` throws on any of them is thrown here, when all have ended: the first of
  /// several.
  double run(const std::function<void(std::size_t)>& work);

 private:
  void wait_for_work(std::size_t number);

  const std::function<void(std::size_t)>* work_ = nullptr;
  bool over_ = false;
  std::mutex guard_;  ///< of what was thrown
  std::exception_ptr thrown_;
  std::barrier<> start_, end_;
  std::vector<std::jthread> threads_;
};

}  // namespace assay::inline v1::contest
