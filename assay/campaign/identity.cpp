#include "assay/campaign/identity.hpp"

#include <random>

#include "assay/measure/digest.hpp"
#include "assay/measure/machine.hpp"

namespace assay::campaign {

std::uint64_t make_seed() {
  std::random_device device;
  return ((static_cast<std::uint64_t>(device()) << 32U) | device()) >> 2U;
}

std::string make_uid() {
  const auto digits = measure::digest_of(std::to_string(make_seed()) + std::to_string(make_seed()));
  return digits.substr(0, 16);
}

Session current_session() {
  Session sitting{.boot = measure::boot_id(), .facts = measure::machine_facts()};
  sitting.facts.push_back({"fingerprint", measure::machine_fingerprint(sitting.facts)});
  return sitting;
}

}  // namespace assay::campaign
