#include "assay/measure/digest.hpp"

#include <xxhash.h>

#include <array>
#include <cstdio>
#include <fstream>
#include <vector>

namespace assay::measure {

struct Digest::State {
  XXH3_state_t* hash = XXH3_createState();
  State() { XXH3_128bits_reset(hash); }
  State(const State&) = delete;
  State& operator=(const State&) = delete;
  ~State() { XXH3_freeState(hash); }
};

Digest::Digest() : state_(std::make_unique<State>()) {}
Digest::~Digest() = default;
Digest::Digest(Digest&&) noexcept = default;
Digest& Digest::operator=(Digest&&) noexcept = default;

void Digest::add(const void* bytes, std::size_t count) { XXH3_128bits_update(state_->hash, bytes, count); }

std::string Digest::text() const {
  const auto value = XXH3_128bits_digest(state_->hash);
  std::array<char, 33> digits{};
  std::snprintf(digits.data(), digits.size(), "%016llx%016llx", static_cast<unsigned long long>(value.high64),
                static_cast<unsigned long long>(value.low64));
  return digits.data();
}

std::string digest_of_file(const std::string& path) {
  std::ifstream file(path, std::ios::binary);
  if (!file) return {};
  Digest digest;
  std::vector<char> piece(1 << 16);
  while (file.read(piece.data(), static_cast<std::streamsize>(piece.size())) || file.gcount() > 0)
    digest.add(piece.data(), static_cast<std::size_t>(file.gcount()));
  return digest.text();
}

std::string digest_of(const std::string& text) {
  Digest digest;
  digest.add(text.data(), text.size());
  return digest.text();
}

}  // namespace assay::measure
