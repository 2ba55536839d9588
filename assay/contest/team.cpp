#include "assay/contest/team.hpp"

#include <string>
#include <system_error>
#include <utility>

#include "assay/contest/clock.hpp"
#include "assay/model/error.hpp"

namespace assay::inline v1::contest {

Team::Team(std::size_t threads)
    : start_(static_cast<std::ptrdiff_t>(threads) + 1), end_(static_cast<std::ptrdiff_t>(threads) + 1) {
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

Team::~Team() {
  over_ = true;
  start_.arrive_and_wait();
}

void Team::wait_for_work(std::size_t number) {
  while (true) {
    start_.arrive_and_wait();
    if (over_) return;
    try {
      (*work_)(number);
    } catch (...) {
      const std::lock_guard lock(guard_);
      if (!thrown_) thrown_ = std::current_exception();
    }
    end_.arrive_and_wait();
  }
}

double Team::run(const std::function<void(std::size_t)>& work) {
  const auto& clock = SliceClock::instance();
  work_ = &work;
  start_.arrive_and_wait();
  const auto start = clock.now();
  end_.arrive_and_wait();
  const auto end = clock.now();
  if (thrown_) std::rethrow_exception(std::exchange(thrown_, nullptr));
  return static_cast<double>(end - start) * clock.seconds_per_tick();
}

}  // namespace assay::inline v1::contest
