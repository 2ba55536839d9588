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

void Random::fill_below(std::uint32_t end, std::span<std::uint32_t> into) {
  const std::uint32_t unfair =
      (0U - end) % end;  // products whose low half is below this would favour some numbers
  std::uint64_t bits = 0;
  bool upper = false;
  for (auto& number : into)
    while (true) {
      if (!upper) bits = engine_();
      const std::uint64_t product = (upper ? bits >> 32U : bits & 0xffffffffU) * end;
      upper = !upper;
      if (static_cast<std::uint32_t>(product) < unfair) continue;
      number = static_cast<std::uint32_t>(product >> 32U);
      break;
    }
}

double Random::uniform() { return boost::random::uniform_01<double>()(engine_); }

double Random::normal() { return boost::random::normal_distribution<double>()(engine_); }

}  // namespace assay::stats
