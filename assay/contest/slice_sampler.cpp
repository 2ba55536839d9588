#include "assay/contest/slice_sampler.hpp"

#include <ctime>
#include <utility>

namespace assay::contest {

namespace {

std::uint64_t nanoseconds_of(clockid_t clock) {
  timespec t{};
  clock_gettime(clock, &t);
  constexpr std::uint64_t in_second = 1'000'000'000;
  return static_cast<std::uint64_t>(t.tv_sec) * in_second + static_cast<std::uint64_t>(t.tv_nsec);
}

double cpu_seconds() { return static_cast<double>(nanoseconds_of(CLOCK_THREAD_CPUTIME_ID)) * 1e-9; }

}  // namespace

SliceSampler::SliceSampler(const measure::Sampling& how, std::size_t functions)
    : sampler_(how), cpu_(functions), relieved_(nanoseconds_of(CLOCK_MONOTONIC)) {}

void SliceSampler::begin(std::size_t /*function*/) {
  cpu_at_begin_ = cpu_seconds();
  began_ = nanoseconds_of(CLOCK_MONOTONIC);
}

void SliceSampler::end(std::size_t function) {
  const auto ended = nanoseconds_of(CLOCK_MONOTONIC);
  cpu_[function] += cpu_seconds() - cpu_at_begin_;
  stretches_.push_back({.begin = began_, .end = ended, .program = function});
  constexpr std::uint64_t now_and_then = 20'000'000;
  if (ended - relieved_ < now_and_then) return;
  relieved_ = ended;
  sampler_.relieve();
}

std::vector<SliceSampler::Sampled> SliceSampler::results() {
  auto code = sampler_.end(stretches_, cpu_.size());
  std::vector<Sampled> all;
  for (std::size_t i = 0; i < cpu_.size(); ++i) all.push_back({.code = std::move(code[i]), .cpu = cpu_[i]});
  return all;
}

}  // namespace assay::contest
