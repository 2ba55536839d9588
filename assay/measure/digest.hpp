#pragma once

#include <cstddef>
#include <memory>
#include <string>

namespace assay::measure {

/// XXH3-128 of bytes that come piece by piece. Tells answers apart; no protection against forgery.
class Digest {
 public:
  Digest();
  ~Digest();
  Digest(Digest&&) noexcept;
  Digest& operator=(Digest&&) noexcept;

  void add(const void* bytes, std::size_t count);
  /// 32 hexadecimal digits over all that was added so far.
  std::string text() const;

 private:
  struct State;
  std::unique_ptr<State> state_;
};

/// The digest of a file's bytes; empty when it can't be read.
std::string digest_of_file(const std::string& path);
std::string digest_of(const std::string& text);

}  // namespace assay::measure
