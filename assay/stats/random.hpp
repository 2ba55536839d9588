#pragma once

#include <cstddef>
#include <cstdint>
#include <random>
#include <span>
#include <utility>

namespace assay::stats {

/// A reproducible source of random numbers: the same seed and stream give the same draws on every machine
/// and with every standard library. Streams of one seed are independent for all practical purposes, so work
/// split by stream gives results that don't depend on the number of threads.
///
/// Source: Mersenne Twister, Matsumoto & Nishimura 1998 (std::mt19937_64, seeded through std::seed_seq); the
/// distributions are Boost.Random's.
class Random {
 public:
  explicit Random(std::uint64_t seed, std::uint64_t stream = 0);

  /// A whole number from 0 to below `end`, each as likely. end from 1 on.
  std::size_t below(std::size_t end);
  /// Fills `into` with such numbers, quicker than one by one. Exact, by rejection (Lemire 2019). end up to
  /// 2^32 − 1.
  void fill_below(std::uint32_t end, std::span<std::uint32_t> into);
  double uniform();  ///< in [0, 1)
  double normal();   ///< mean 0, standard deviation 1

  /// Puts the items in an order drawn uniformly from all orders (Fisher & Yates 1938).
  template <class T>
  void shuffle(std::span<T> items) {
    for (std::size_t i = items.size(); i > 1; --i) std::swap(items[i - 1], items[below(i)]);
  }

 private:
  std::mt19937_64 engine_;
};

}  // namespace assay::stats
