#include "assay/contest/team.hpp"

#include "assay/contest/clock.hpp"

namespace assay::contest {

Team::Team(std::size_t threads)
    : start_(static_cast<std::ptrdiff_t>(threads) + 1), end_(static_cast<std::ptrdiff_t>(threads) + 1) {
  for (std::size_t number = 0; number < threads; ++number)
    threads_.emplace_back([this, number] {
      while (true) {
        start_.arrive_and_wait();
        if (over_) return;
        (*work_)(number);
        end_.arrive_and_wait();
      }
    });
}

Team::~Team() {
  over_ = true;
  start_.arrive_and_wait();
}

double Team::run(const std::function<void(std::size_t)>& work) {
  const auto& clock = SliceClock::instance();
  work_ = &work;
  start_.arrive_and_wait();
  const auto start = clock.now();
  end_.arrive_and_wait();
  return static_cast<double>(clock.now() - start) * clock.seconds_per_tick();
}

}  // namespace assay::contest
