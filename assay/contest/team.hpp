#pragma once

#include <barrier>
#include <cstdint>
#include <functional>
#include <thread>
#include <vector>

namespace assay::contest {

/// Threads that wait to do one thing at once, again and again.
class Team {
 public:
  explicit Team(std::size_t threads);
  ~Team();
  Team(const Team&) = delete;
  Team& operator=(const Team&) = delete;

  std::size_t size() const { return threads_.size(); }

  /// Lets every thread do work(its number) at the same time; returns the seconds from their start to the end
  /// of the last. `work` must not throw.
  double run(const std::function<void(std::size_t)>& work);

 private:
  const std::function<void(std::size_t)>* work_ = nullptr;
  bool over_ = false;
  std::barrier<> start_, end_;
  std::vector<std::jthread> threads_;
};

}  // namespace assay::contest
