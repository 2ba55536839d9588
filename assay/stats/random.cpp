#include "assay/stats/random.hpp"

#include <boost/random/normal_distribution.hpp>
#include <boost/random/uniform_01.hpp>
#include <boost/random/uniform_int_distribution.hpp>

namespace assay::stats {
namespace {

std::mt19937_64 engine_for(std::uint64_t seed, std::uint64_t stream) {
  std::seed_seq words{static_cast<std::uint32_t>(seed), static_cast<std::uint32_t>(seed >> 32U),
                      static_cast<std::uint32_t>(stream), static_cast<std::uint32_t>(stream >> 32U)};
  return std::mt19937_64(words);
}

}  // namespace

Random::Random(std::uint64_t seed, std::uint64_t stream) : engine_(engine_for(seed, stream)) {}

std::size_t Random::below(std::size_t end) {
  return boost::random::uniform_int_distribution<std::size_t>(0, end - 1)(engine_);
}

double Random::uniform() { return boost::random::uniform_01<double>()(engine_); }

double Random::normal() { return boost::random::normal_distribution<double>()(engine_); }

}  // namespace assay::stats
