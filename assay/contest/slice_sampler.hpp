#pragma once

#include <cstdint>
#include <vector>

#include "assay/contest/slices.hpp"
#include "assay/measure/sampling.hpp"

namespace assay::contest {

/// Samples the calling thread while it runs the slices of a round, and tells functions apart by the times of their
/// slices. One thread, for one round.
class SliceSampler : public SliceWatcher {
 public:
  /// Of so many functions. What the system refuses is in what end() returns.
  SliceSampler(const measure::Sampling& how, std::size_t functions);

  void begin(std::size_t function) override;
  void end(std::size_t function) override;

  /// What was sampled of a function, and its CPU time in seconds.
  struct Sampled {
    measure::CodeSamples code;
    double cpu = 0;
  };
  /// By function. To be called once, after the last slice.
  std::vector<Sampled> results();

 private:
  measure::ThreadSampler sampler_;
  std::vector<measure::ThreadSampler::Stretch> stretches_;
  std::vector<double> cpu_;  ///< seconds, by function
  double cpu_at_begin_ = 0;
  std::uint64_t began_ = 0, relieved_ = 0;
};

}  // namespace assay::contest
