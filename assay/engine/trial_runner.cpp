#include "assay/engine/trial_runner.hpp"

#include "assay/stats/random.hpp"

namespace assay::engine {

measure::Sampling draw_sampling(const CodeSampling& how, std::uint64_t seed, const Batch& batch) {
  constexpr double within = 0.1, nanoseconds = 1e9;
  const auto round = static_cast<std::uint64_t>(batch.round);
  const auto position = static_cast<std::uint64_t>(batch.position) + 1;
  const double drawn = how.period * (1 - within + 2 * within * stats::Random(seed, 2 * round).uniform());
  const double phase = drawn * stats::Random(seed + position, 2 * round + 1).uniform();
  return {.period_ns = static_cast<std::int64_t>(drawn * nanoseconds),
          .phase_ns = static_cast<std::int64_t>(phase * nanoseconds),
          .within = {},
          .callers = how.callers};
}

}  // namespace assay::engine
